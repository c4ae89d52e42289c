import { onBeforeUnmount, ref, watch } from "vue";

/** A drawing as wide as there is room, so that its letters keep their size: its element, and how wide that is. */
export function useWide(least = 260, first = 860) {
  const wide = ref(first);
  const drawn = ref<SVGElement>();
  const watcher = new ResizeObserver(([seen]) => (wide.value = Math.max(least, seen?.contentRect.width ?? first)));
  watch(drawn, (now) => now && watcher.observe(now));
  onBeforeUnmount(() => watcher.disconnect());
  return { wide, drawn };
}
