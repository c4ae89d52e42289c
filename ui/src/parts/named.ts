import type { Directive } from "vue";

const watching = new WeakMap<HTMLElement, MutationObserver>();

/** What a list to choose from says of itself: whether it is open, and its list only while there is one (WAI-ARIA combobox). */
function tell(element: HTMLElement): void {
  const input = element.querySelector<HTMLElement>("input[role=combobox]");
  if (!input) return;
  const open = element.classList.contains("ant-select-open");
  input.setAttribute("aria-expanded", String(open));
  for (const name of ["aria-owns", "aria-controls"]) {
    if (open) input.setAttribute(name, `${input.id}_list`);
    else input.removeAttribute(name);
  }
  if (!open) input.removeAttribute("aria-activedescendant");
}

/** Gives the input inside a component its name for those who listen to the page. */
export const named: Directive<HTMLElement, string> = {
  mounted(element, { value }) {
    element.querySelector("input")?.setAttribute("aria-label", value);
    tell(element);
    const observer = new MutationObserver(() => tell(element));
    observer.observe(element, { attributes: true, attributeFilter: ["class"] });
    watching.set(element, observer);
  },
  updated(element, { value }) {
    element.querySelector("input")?.setAttribute("aria-label", value);
    tell(element);
  },
  unmounted(element) {
    watching.get(element)?.disconnect();
  },
};

declare module "vue" {
  interface GlobalDirectives {
    vNamed: typeof named;
  }
}
