import type { InjectionKey, Ref } from "vue";

import type { Api } from "../api/client";
import type { Step } from "../api/school-file";
import { lettersOf } from "../parts/posted";

/** What every card in the editor needs to know, given once by the editor. */
export interface Editing {
  chosen: Ref<string>;
  marks: Ref<Map<string, Api["MarkOut"]>>;
  phrases: Ref<Record<string, string[]>>;
  findings: Ref<Api["FindingOut"][]>;
  figures: Ref<Record<string, Api["StepFigures"]>>;
  letters: Ref<Map<string, Api["LetterSummary"]>>;
  names: Ref<Map<string, string>>;
  add: (kind: string, owner: string | null, lane: string, index: number) => void;
  who: (step: string) => void;
  mend: (finding: Api["FindingOut"]) => void;
  /** Make a letter for the chosen step and go there to write it. */
  writeLetter: () => Promise<void>;
}

export const EDITING: InjectionKey<Editing> = Symbol("editing");

/** A step in a few words, for labels. */
export function stepName(step: Step, editing: Editing): string {
  if (step.do === "send" || step.do === "tell")
    return lettersOf(step)
      .map((key) => editing.letters.value.get(key)?.name ?? key)
      .join(" or ");
  return step.do.replace("_", " ");
}
