import type { Directive } from "vue";

import { api } from "../api/client";

/** A link to something that the browser keeps, for which one may have to show once more that it is oneself. */
export const proved: Directive<HTMLAnchorElement> = {
  mounted(link) {
    let asked = false;
    link.addEventListener("click", (event) => {
      if (asked) return;
      event.preventDefault();
      void api
        .GET("/api/session/proved")
        .then(() => {
          asked = true;
          link.click();
        })
        // Whoever would rather not gets no file; they have just said so themselves.
        .catch(() => undefined)
        .finally(() => (asked = false));
    });
  },
};

declare module "vue" {
  interface GlobalDirectives {
    vProved: typeof proved;
  }
}
