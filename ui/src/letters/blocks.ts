import type { Block } from "../api/school-file";

export type Kind = Block["kind"];

/** What the owner can put into a letter, in the order of the menu; those with `inner` false stand only at the top. */
export const KINDS: { kind: Kind; name: string; says: string; inner?: boolean }[] = [
  { kind: "text", name: "Text", says: "paragraphs, headings, lists" },
  { kind: "button", name: "Button", says: "one thing to do" },
  { kind: "picture", name: "Picture", says: "uploaded, with words for those who can't see it" },
  { kind: "answers", name: "Answer links", says: "a question, answered with one click" },
  { kind: "next_lesson", name: "Next lesson", says: "title, minutes and a button, each student's own" },
  { kind: "course_card", name: "Course card", says: "a course or an offer, always as it is now" },
  { kind: "certificate", name: "Certificate", says: "the picture of the student's own" },
  { kind: "columns", name: "Two columns", says: "below each other on a phone", inner: false },
  { kind: "event", name: "Date", says: "a live session or a deadline, with a calendar file" },
  { kind: "signature", name: "Signature", says: "kept once in School" },
  { kind: "divider", name: "Line", says: "" },
  { kind: "space", name: "Space", says: "" },
  { kind: "note", name: "Note to self", says: "never posted" },
];
export const nameOf = (kind: Kind) => KINDS.find((one) => one.kind === kind)?.name ?? kind;

const FRESH: Record<Kind, () => Block> = {
  text: () => ({ kind: "text", html: "<p></p>" }),
  button: () => ({ kind: "button", label: "Open the course", url: "{{ course.url }}" }),
  picture: () => ({ kind: "picture", url: "", alt: "", link: null }),
  course_card: () => ({ kind: "course_card", course: "this", offer: null, label: "Have a look" }),
  certificate: () => ({ kind: "certificate" }),
  next_lesson: () => ({ kind: "next_lesson", label: "Go on learning" }),
  divider: () => ({ kind: "divider" }),
  space: () => ({ kind: "space", size: "medium" }),
  event: () => ({
    kind: "event",
    title: "",
    at: `${new Date(Date.now() + 7 * 86_400_000).toISOString().slice(0, 10)}T19:00`,
    minutes: 60,
    place: "Online",
    url: "",
    zone: null,
  }),
  signature: () => ({ kind: "signature" }),
  note: () => ({ kind: "note", text: "" }),
  answers: () => ({
    kind: "answers",
    question: "How is it going?",
    answers: [
      { key: "well", label: "Well", add_tags: [] },
      { key: "stuck", label: "I am stuck", add_tags: [] },
    ],
    beside: false,
  }),
  columns: () => ({
    kind: "columns",
    left: [{ kind: "text", html: "<p></p>" }],
    right: [{ kind: "text", html: "<p></p>" }],
  }),
};
export const freshBlock = (kind: Kind): Block => FRESH[kind]();

const copyOf = (block: Block): Block => JSON.parse(JSON.stringify(block)) as Block;

export function inserted(blocks: Block[], at: number, block: Block): Block[] {
  return [...blocks.slice(0, at), block, ...blocks.slice(at)];
}
/** The list with the block at `from` taken out and put in so that it stands at `to`. */
export function moved(blocks: Block[], from: number, to: number): Block[] {
  const rest = blocks.filter((_, at) => at !== from);
  const block = blocks[from];
  return block ? inserted(rest, Math.max(0, Math.min(to, rest.length)), block) : blocks;
}

/** Keys of answers are unique in a letter, so a second block with the same ones gets its own. */
export function freshKeys(block: Block, taken: string[]): Block {
  const found = copyOf(block);
  const inside = found.kind === "columns" ? [...found.left, ...found.right] : [found];
  for (const one of inside) {
    if (one.kind !== "answers") continue;
    for (const answer of one.answers) {
      const stem = answer.key.replace(/-\d+$/, "");
      for (let number = 2; taken.includes(answer.key); number += 1) answer.key = `${stem}-${number}`;
      taken.push(answer.key);
    }
  }
  return found;
}
export function answerKeys(blocks: Block[]): string[] {
  return blocks.flatMap((one) =>
    one.kind === "columns"
      ? answerKeys([...one.left, ...one.right])
      : one.kind === "answers"
        ? one.answers.map((answer) => answer.key)
        : [],
  );
}

/** A block that was copied, so that another letter can take it; it stays in this browser. */
const PLACE = "copied-block";
export const copyBlock = (block: Block) => localStorage.setItem(PLACE, JSON.stringify(block));
export function copiedBlock(): Block | null {
  try {
    const found = JSON.parse(localStorage.getItem(PLACE) ?? "null") as Block | null;
    return found && found.kind in FRESH ? found : null;
  } catch {
    return null;
  }
}
