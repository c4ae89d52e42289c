import { onBeforeUnmount, onMounted } from "vue";

import { withControl } from "./typing";

/** Ctrl S, or ⌘ S, saves what is being edited here instead of the page. */
export function useSaveKey(save: () => unknown): void {
  function pressed(event: KeyboardEvent): void {
    if (!withControl(event) || event.key.toLowerCase() !== "s") return;
    event.preventDefault();
    // What is being typed counts as typed.
    if (document.activeElement instanceof HTMLElement) document.activeElement.dispatchEvent(new Event("change"));
    save();
  }
  onMounted(() => window.addEventListener("keydown", pressed));
  onBeforeUnmount(() => window.removeEventListener("keydown", pressed));
}
