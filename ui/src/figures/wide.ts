import { onBeforeUnmount, ref, useTemplateRef, watch } from "vue";

/** How wide the drawing (the element that the template calls `drawn`) is: as wide as there is room, so that its letters keep
 * their size. */
export function useWide(least = 260, first = 860) {
  const wide = ref(first);
  const drawn = useTemplateRef<SVGElement>("drawn");
  const watcher = new ResizeObserver(([seen]) => (wide.value = Math.max(least, seen?.contentRect.width ?? first)));
  watch(drawn, (now) => now && watcher.observe(now));
  onBeforeUnmount(() => watcher.disconnect());
  return wide;
}
