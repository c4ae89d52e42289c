const WRITING = "input, textarea, select, [contenteditable=true], [role=combobox]";
const APART =
  ".ant-modal, .ant-popover, .ant-dropdown, .ant-select-dropdown, [role=dialog], [role=menu], [role=listbox]";

const OPEN = ".ant-modal-wrap:not([style*='display: none']), .ant-popover:not(.ant-popover-hidden)";

/** Whether something is being written, or stands open before the place: then single keys mean themselves. */
export function isWriting(event: KeyboardEvent): boolean {
  const target = event.target;
  if (target instanceof HTMLElement && target.closest(`${WRITING}, ${APART}`) !== null) return true;
  return target === document.body && document.querySelector(OPEN) !== null;
}

/** Whether a key goes with Ctrl, or with ⌘ on a Mac. */
export const withControl = (event: KeyboardEvent) => (event.ctrlKey || event.metaKey) && !event.altKey;
