import type { Directive } from "vue";
import { ref } from "vue";

import type { Api } from "./client";

export type Right = Api["SessionOut"]["rights"][number];
const rights = ref<ReadonlySet<Right>>(new Set());
/** Whether this school has a clock that can be moved, and whether it is a practice copy of another one. */
export const inPractice = ref(false);
export const inCopy = ref(false);

/** What the person who signed in may do: from the same table that the routes read. */
export function useRights(session: Api["SessionOut"]): void {
  rights.value = new Set(session.rights);
  inPractice.value = session.practice;
  inCopy.value = session.copy_of_school;
}

export const may = (right: Right) => rights.value.has(right);

/** Shown only to those who may do what it does; the route refuses all others anyway. */
export const needs: Directive<HTMLElement, Right> = {
  mounted(element, { value }) {
    element.hidden = !may(value);
    if (element.hidden) element.style.display = "none";
  },
};

declare module "vue" {
  interface GlobalDirectives {
    vNeeds: typeof needs;
  }
}

export const ROLES: { value: Api["RoleIn"]["role"]; label: string; says: string }[] = [
  {
    value: "writer",
    label: "Writer",
    says: "writes letters, sequences and broadcasts as drafts; sees no addresses and posts nothing",
  },
  {
    value: "support",
    label: "Support",
    says: "helps students, settles what waits, sees to certificates; changes no sequence",
  },
  { value: "reader", label: "Reader", says: "sees what there is, students too, and changes nothing" },
  { value: "owner", label: "Owner", says: "may do everything, also let others in" },
];
