import type { Matcher } from "../api/school-file";

export interface Selector {
  name: string;
  kind: string;
  any?: string;
  this?: boolean;
  needed?: boolean;
}

export interface MatcherKind {
  value: string;
  label: string;
  group: string;
  /** What tells it from others that are much like it. */
  says?: string;
  selectors: Selector[];
}

const course: Selector = { name: "course", kind: "course", any: "any course", this: true };
const lesson: Selector = { name: "lesson", kind: "lesson", any: "any lesson", this: true };
const quiz: Selector = { name: "quiz", kind: "quiz", any: "any quiz", this: true };
const module: Selector = { name: "module", kind: "module", any: "any module", this: true };
const offer: Selector = { name: "offer", kind: "offer", any: "any offer", this: true };
const letter: Selector = { name: "letter", kind: "letter", any: "any letter" };
const tag: Selector = { name: "tag", kind: "tag", any: "any tag" };

/** Every event a sequence can start with, wait for or leave on, in the words of its owner. */
export const MATCHERS: MatcherKind[] = [
  {
    value: "enrolled",
    label: "enrols in a course",
    group: "Coming in",
    says: "however: bought, by hand or by import",
    selectors: [course],
  },
  {
    value: "purchased",
    label: "buys an offer",
    group: "Coming in",
    says: "the purchase itself, once for each",
    selectors: [offer],
  },
  {
    value: "signed_up",
    label: "signs up with a form",
    group: "Coming in",
    selectors: [{ name: "form", kind: "form", any: "any form" }],
  },
  { value: "signed_in", label: "signs in", group: "Coming in", selectors: [] },
  { value: "refunded", label: "gets a refund", group: "Coming in", selectors: [offer] },
  { value: "lesson_started", label: "starts a lesson", group: "Learning", selectors: [lesson, course] },
  {
    value: "lesson_watched",
    label: "watches part of a lesson",
    group: "Learning",
    selectors: [lesson, course, { name: "percent", kind: "percent" }],
  },
  { value: "lesson_completed", label: "finishes a lesson", group: "Learning", selectors: [lesson, course] },
  { value: "module_completed", label: "finishes a module", group: "Learning", selectors: [module, course] },
  { value: "course_completed", label: "finishes a course", group: "Learning", selectors: [course] },
  { value: "quiz_failed", label: "fails a quiz", group: "Learning", selectors: [quiz, course] },
  { value: "quiz_passed", label: "passes a quiz", group: "Learning", selectors: [quiz, course] },
  { value: "quiz_taken", label: "takes a quiz", group: "Learning", selectors: [quiz, course] },
  {
    value: "inactive",
    label: "goes quiet in a course",
    group: "Time",
    selectors: [course, { name: "for", kind: "duration", needed: true }],
  },
  {
    value: "unlocking",
    label: "has a module about to unlock",
    group: "Time",
    selectors: [module, course, { name: "ahead", kind: "duration" }],
  },
  {
    value: "access_ending",
    label: "has access about to end",
    group: "Time",
    selectors: [course, { name: "ahead", kind: "duration" }],
  },
  { value: "certificate_issued", label: "gets a certificate", group: "Certificate", selectors: [course] },
  { value: "certificate_requested", label: "has a certificate to approve", group: "Certificate", selectors: [course] },
  { value: "certificate_approved", label: "has a certificate approved", group: "Certificate", selectors: [course] },
  { value: "certificate_revoked", label: "has a certificate taken back", group: "Certificate", selectors: [course] },
  { value: "tag_added", label: "gets a tag", group: "Tags", selectors: [tag] },
  { value: "tag_removed", label: "loses a tag", group: "Tags", selectors: [tag] },
  {
    value: "answered",
    label: "answers a letter",
    group: "Post",
    selectors: [letter, { name: "answer", kind: "answer", any: "any answer" }],
  },
  { value: "letter_opened", label: "opens a letter", group: "Post", selectors: [letter] },
  { value: "link_clicked", label: "clicks a link in a letter", group: "Post", selectors: [letter] },
  { value: "news_stopped", label: "stops news", group: "Post", selectors: [] },
  { value: "course_help_stopped", label: "stops help with a course", group: "Post", selectors: [course] },
  { value: "bounced", label: "has a letter come back", group: "Post", selectors: [] },
  { value: "complained", label: "reports a letter as unwanted", group: "Post", selectors: [] },
];

export const VIA = [
  { value: "purchase", label: "by purchase" },
  { value: "manual", label: "by hand" },
  { value: "import", label: "by import" },
  { value: "preview", label: "for a preview" },
];

export const kindOf = (on: string): MatcherKind | undefined => MATCHERS.find((kind) => kind.value === on);

/** Kinds grouped for a select. */
export const GROUPED = [...new Set(MATCHERS.map((kind) => kind.group))].map((group) => ({
  label: group,
  options: MATCHERS.filter((kind) => kind.group === group).map(({ value, label }) => ({ value, label })),
}));

/** A matcher of another kind that keeps what still fits. */
export function turned(matcher: Matcher, on: string): Matcher {
  const names = kindOf(on)?.selectors.map((selector) => selector.name) ?? [];
  const kept = Object.fromEntries(
    Object.entries(matcher).filter(([name, value]) => names.includes(name) && value !== null),
  );
  const needed = on === "inactive" ? { for: "P7D" } : on === "lesson_watched" ? { percent: 50 } : {};
  return { ...needed, ...kept, on };
}
