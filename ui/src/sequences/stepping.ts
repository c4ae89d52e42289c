import { computed, nextTick, type Ref, ref } from "vue";

import type { Sequence, Step } from "../api/school-file";
import * as tree from "./tree";

const WAYS = {
  up: (s: Sequence, id: string) => tree.move(s, id, -1),
  down: (s: Sequence, id: string) => tree.move(s, id, 1),
  in: tree.moveIn,
  out: tree.moveOut,
};

/** The chosen step of a sequence that is being edited, and what is done to it; the keyboard goes along. */
export function useStepping(current: Ref<Sequence | null>, course: Ref<string | undefined>) {
  const chosen = ref("");
  const step = computed({
    get: () => (current.value ? tree.find(current.value, chosen.value)?.step : undefined),
    set: (now) => current.value && now && tree.replace(current.value, now),
  });

  const card = (id: string) => document.querySelector<HTMLElement>(`[data-step="${id}"] [aria-pressed]`);
  /** The keyboard goes on in what was just made: its first field, or the step itself where there is none. */
  function goInto(id: string, left = 12): void {
    const field = document.querySelector<HTMLElement>(
      `.panel [data-panel="${id}"] input, .panel [data-panel="${id}"] textarea`,
    );
    (field ?? card(id))?.focus();
    // A menu that closes gives the keyboard back to its button, so we ask until we have it.
    if (left)
      window.setTimeout(
        () => chosen.value === id && !document.activeElement?.closest(`[data-panel="${id}"]`) && goInto(id, left - 1),
        30,
      );
  }
  function add(kind: string, owner: string | null, lane: string, index: number): void {
    if (!current.value) return;
    const made: Step = tree.fresh(current.value, kind, course.value);
    tree.insert(current.value, { owner, lane, index }, made);
    chosen.value = made.id;
    void nextTick(() => goInto(made.id));
  }
  function addAfter(kind: string): void {
    const spot = current.value && tree.find(current.value, chosen.value)?.spot;
    if (spot && !(kind === "waypoint" && spot.owner)) add(kind, spot.owner, spot.lane, spot.index + 1);
    else add(kind, null, "", current.value?.steps.length ?? 0);
  }
  function act(change: (sequence: Sequence, id: string) => boolean | string): void {
    if (!current.value || !chosen.value) return;
    const result = change(current.value, chosen.value);
    if (typeof result === "string") chosen.value = result;
    void nextTick(() => card(chosen.value)?.focus());
  }
  const move = (way: keyof typeof WAYS) => act(WAYS[way]);
  function duplicate(): void {
    const place = current.value && tree.find(current.value, chosen.value);
    if (!current.value || !place) return;
    const twin = tree.copyOf(current.value, place.step);
    tree.insert(current.value, { ...place.spot, index: place.spot.index + 1 }, twin);
    chosen.value = twin.id;
    void nextTick(() => card(twin.id)?.focus());
  }
  function choose(by: 1 | -1): void {
    const order = [...tree.walk(current.value?.steps ?? [])].map((one) => one.step.id);
    const next = order[order.indexOf(chosen.value) + by];
    if (!next) return;
    chosen.value = next;
    card(next)?.focus();
  }
  const remove = () => act(tree.remove);
  const back = () => card(chosen.value)?.focus();
  return { chosen, step, add, addAfter, remove, move, duplicate, choose, goInto, back };
}
