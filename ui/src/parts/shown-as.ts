import { ref, watch } from "vue";

import { BASE } from "../api/base";

/** The student whose eyes letters are seen with; the same everywhere, kept in this browser. */
export const shownAs = ref(localStorage.getItem(`${BASE}shown-as`) ?? "");
watch(shownAs, (key) => localStorage.setItem(`${BASE}shown-as`, key));

/** When none has been chosen yet: somebody who is in a course, has had letters, and has an ordinary name. */
export function suggest(students: { key: string; name: string; letters: number }[] | undefined): void {
  if (shownAs.value || !students?.length) return;
  const found =
    students.find((student) => student.letters > 3 && /^\p{L}[\p{L} ]+$/u.test(student.name)) ?? students[0];
  shownAs.value = found?.key ?? "";
}
