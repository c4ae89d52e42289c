import { nextTick, onBeforeUnmount } from "vue";
import { useRouter } from "vue-router";

/** Where one has scrolled to on each page of the history: parts of the place that scroll, by where they stand. */
const kept = new Map<number, number[]>();
const PARTS = ".place-room, .place-room .line-room";
/** A list is drawn when its answer has come; so long it is tried. */
const PATIENCE_MS = 3_000;
const position = () => Number((window.history.state as { position?: number } | null)?.position ?? 0);

/** The way back leads to where one was on the page, not to its top. */
export function useScrolled(): void {
  const router = useRouter();
  let trying = 0;
  let here = position();
  const parts = () => [...document.querySelectorAll<HTMLElement>(PARTS)];

  function restore(wanted: number[], since = Date.now()): void {
    const found = parts();
    const done = wanted.every((top, at) => {
      const part = found[at];
      if (part) part.scrollTop = top;
      return part !== undefined && Math.abs(part.scrollTop - top) < 2;
    });
    if (!done && Date.now() - since < PATIENCE_MS) trying = window.setTimeout(() => restore(wanted, since), 50);
  }
  const stopBefore = router.beforeEach((to, from) => {
    if (to.path !== from.path)
      kept.set(
        here,
        parts().map((part) => part.scrollTop),
      );
  });
  const stopAfter = router.afterEach((to, from) => {
    const before = here;
    here = position();
    const wanted = here < before ? kept.get(here) : undefined;
    if (to.path === from.path) return;
    window.clearTimeout(trying);
    void nextTick(() => (wanted ? restore(wanted) : parts().forEach((part) => (part.scrollTop = 0))));
  });
  onBeforeUnmount(() => {
    window.clearTimeout(trying);
    stopBefore();
    stopAfter();
  });
}
