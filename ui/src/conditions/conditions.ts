/** A condition in the form of the school file. */
export type Condition = { [name: string]: unknown };

/** `words`: what else one may look for it by. */
export const KINDS: {
  value: string;
  label: string;
  group: string;
  words?: string;
  fresh: (course: string) => Condition;
}[] = [
  { value: "enrolled", label: "is enrolled in", group: "Courses", fresh: (course) => ({ is: "enrolled", course }) },
  {
    value: "completed",
    label: "has completed",
    group: "Courses",
    words: "finished lesson module course",
    fresh: (course) => ({ is: "completed", course }),
  },
  {
    value: "progress",
    label: "has done a part of",
    group: "Courses",
    words: "progress percent lessons",
    fresh: (course) => ({ is: "progress", course, at_least: 50 }),
  },
  {
    value: "quiz",
    label: "quiz result",
    group: "Courses",
    words: "passed failed taken times",
    fresh: () => ({ is: "quiz", quiz: "", result: "passed" }),
  },
  {
    value: "inactive",
    label: "has been silent in",
    group: "Courses",
    words: "quiet inactive lesson",
    fresh: (course) => ({ is: "inactive", course, for: "P7D" }),
  },
  {
    value: "certified",
    label: "has the certificate of",
    group: "Courses",
    fresh: (course) => ({ is: "certified", course }),
  },
  { value: "bought", label: "has bought", group: "Student", fresh: () => ({ is: "bought", offer: "any" }) },
  { value: "tagged", label: "has the tag", group: "Student", fresh: () => ({ is: "tagged", tag: "" }) },
  { value: "student", label: "is one of these", group: "Student", fresh: () => ({ is: "student", keys: [] }) },
  {
    value: "joined",
    label: "joined",
    group: "Student",
    fresh: () => ({ is: "joined", after: new Date().toISOString().slice(0, 10) }),
  },
  { value: "news_on", label: "wants news", group: "Student", fresh: () => ({ is: "news_on" }) },
  { value: "field", label: "has in a field", group: "Student", fresh: () => ({ is: "field", name: "", filled: true }) },
  { value: "sent", label: "was sent", group: "Post", fresh: () => ({ is: "sent", letter: "" }) },
  { value: "opened", label: "has opened", group: "Post", fresh: () => ({ is: "opened", letter: "" }) },
  { value: "clicked", label: "has clicked in", group: "Post", fresh: () => ({ is: "clicked", letter: "" }) },
  { value: "inside", label: "is inside", group: "Sequences", fresh: () => ({ is: "inside", sequence: "" }) },
  { value: "finished", label: "has finished", group: "Sequences", fresh: () => ({ is: "finished", sequence: "" }) },
  {
    value: "been_inside",
    label: "is or was inside",
    group: "Sequences",
    fresh: () => ({ is: "been_inside", sequence: "" }),
  },
];

export const GROUPED = [...new Set(KINDS.map((kind) => kind.group))].map((group) => ({
  label: group,
  options: KINDS.filter((kind) => kind.group === group).map(({ value, label, words }) => ({
    value,
    label,
    words: `${label} ${words ?? ""}`,
  })),
}));

/** A condition as a list of lines that all or any of must hold; each line can be turned round with “not”. */
export interface Lines {
  mode: "all" | "any";
  lines: { not: boolean; condition: Condition }[];
}

export function toLines(condition: Condition | null): Lines {
  if (!condition) return { mode: "all", lines: [] };
  const mode = "any" in condition ? "any" : "all";
  const parts = ("all" in condition ? condition.all : "any" in condition ? condition.any : [condition]) as Condition[];
  return {
    mode,
    lines: parts.map((part) =>
      "not" in part ? { not: true, condition: part.not as Condition } : { not: false, condition: part },
    ),
  };
}

export function fromLines({ mode, lines }: Lines): Condition | null {
  const parts = lines.map((line) => (line.not ? { not: line.condition } : line.condition));
  if (parts.length === 0) return null;
  return parts.length === 1 ? (parts[0] as Condition) : { [mode]: parts };
}

/** The parts of a condition that all must hold. */
export const partsOf = (condition: Condition | null): Condition[] =>
  !condition ? [] : "all" in condition ? (condition.all as Condition[]) : [condition];
export const allOf = (parts: Condition[]): Condition | null =>
  parts.length === 0 ? null : parts.length === 1 ? (parts[0] as Condition) : { all: parts };
