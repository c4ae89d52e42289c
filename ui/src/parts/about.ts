import { type ComputedRef, computed, inject, type InjectionKey, type Ref } from "vue";

import { useThings } from "../api/things";

/** The course that what is being edited is about, given once by its place. */
export const ABOUT: InjectionKey<Ref<string | undefined>> = Symbol("the course it is about");

/** The course that something new begins with: what the place is about, else the first of the school. */
export function useAbout(): ComputedRef<string | undefined> {
  const given = inject(ABOUT, undefined);
  const { courses } = useThings();
  return computed(() => given?.value ?? courses.value[0]?.key);
}
