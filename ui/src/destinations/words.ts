import type { Api } from "../api/client";

export type Kind = Api["DestinationOut"]["kinds"][number];

/** What a destination can hear of, in the groups in which an owner thinks of it. */
export const GROUPS: { title: string; kinds: [Kind, string][] }[] = [
  {
    title: "Orders and enrolments",
    kinds: [
      ["purchased", "bought"],
      ["refunded", "refunded"],
      ["enrolled", "enrolled"],
    ],
  },
  {
    title: "Learning",
    kinds: [
      ["lesson_completed", "lesson finished"],
      ["module_completed", "module finished"],
      ["course_completed", "course finished"],
      ["quiz_failed", "quiz failed"],
      ["quiz_passed", "quiz passed"],
      ["certificate_issued", "certificate issued"],
      ["certificate_revoked", "certificate taken back"],
    ],
  },
  {
    title: "Letters and students",
    kinds: [
      ["letter_posted", "letter posted"],
      ["bounced", "address bounced"],
      ["complained", "reported as unwanted"],
      ["news_on", "gets news"],
      ["news_off", "stopped news"],
      ["tag_added", "tag given"],
      ["tag_removed", "tag taken"],
      ["feedback_given", "feedback given"],
    ],
  },
];
export const KINDS = GROUPS.flatMap((group) => group.kinds);
export const SAYS = Object.fromEntries(KINDS) as Record<string, string>;

/** A destination's state, and how it is marked. */
export const STATES: Record<string, { says: string; pill: string }> = {
  on: { says: "On", pill: "running" },
  paused: { says: "Paused", pill: "paused" },
  ended: { says: "Ended", pill: "skipped" },
};
/** What became of a message. */
export const BECAME: Record<string, { says: string; pill: string }> = {
  queued: { says: "Waits", pill: "paused" },
  sent: { says: "Taken", pill: "sent" },
  failed: { says: "Set aside", pill: "bounced" },
  kept: { says: "Kept here", pill: "skipped" },
};

/** What a destination hears, in a few words: "3 kinds of news, about First Hive". */
export function hears(kinds: readonly string[], courses: readonly string[]): string {
  const what =
    kinds.length === KINDS.length
      ? "everything"
      : kinds.length > 3
        ? `${kinds.length} kinds of news`
        : kinds.map((kind) => SAYS[kind]).join(", ");
  return courses.length ? `${what}; only about ${courses.join(", ")}` : what;
}
