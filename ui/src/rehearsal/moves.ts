import type { Api } from "../api/client";

export type Scene = Api["Scene"];
export type Move = Api["Move"];

/** What a student can do in a rehearsal: the events a course site or the post reports. */
export const MOVES: {
  value: string;
  label: string;
  object?: string;
  fields?: Record<string, unknown>;
  extra?: "percent" | "score" | "answer";
}[] = [
  { value: "purchased", label: "buys", object: "offer" },
  { value: "enrolled", label: "is enrolled by hand in", object: "course", fields: { via: "manual" } },
  { value: "lesson_started", label: "starts the lesson", object: "lesson" },
  { value: "lesson_watched", label: "watches part of", object: "lesson", extra: "percent" },
  { value: "lesson_completed", label: "finishes the lesson", object: "lesson" },
  { value: "module", label: "finishes the whole module", object: "module" },
  { value: "quiz_taken", label: "takes the quiz", object: "quiz", extra: "score" },
  { value: "signed_up", label: "signs up with the form", object: "form" },
  { value: "signed_in", label: "signs in" },
  { value: "refunded", label: "gets a refund for", object: "offer" },
  { value: "tag_added", label: "gets the tag", object: "tag" },
  { value: "tag_removed", label: "loses the tag", object: "tag" },
  { value: "letter_opened", label: "opens the letter", object: "letter" },
  { value: "answered", label: "answers the letter", object: "letter", extra: "answer" },
  { value: "news_stopped", label: "stops news" },
  { value: "course_help_stopped", label: "stops help with", object: "course" },
  { value: "certificate_approved", label: "has the certificate approved of", object: "course" },
];

/** A move as it is edited: what, with which object, and an extra number or word. */
export interface Edited {
  day: number;
  at: string;
  what: string;
  object: string;
  extra: string;
}

/** The moves as events; finishing a module becomes the lessons and quizzes in it, a quarter of an hour apart. */
export function toMoves(edited: Edited[], modules: Map<string, { lessons: string[]; quizzes: string[] }>): Move[] {
  return edited.flatMap((move): Move[] => {
    // A move that is not yet said to the end takes no part.
    const wants = MOVES.find((one) => one.value === move.what)?.object;
    if (wants && !move.object) return [];
    if (move.what === "module") {
      const inside = modules.get(move.object);
      const events = [
        ...(inside?.lessons ?? []).map((lesson) => ({ type: "lesson_completed", lesson })),
        ...(inside?.quizzes ?? []).map((quiz) => ({ type: "quiz_taken", quiz, score: 100 })),
      ];
      return events.map((event) => ({ day: move.day, at: move.at, event }));
    }
    const kind = MOVES.find((one) => one.value === move.what);
    const extra =
      kind?.extra === "answer" ? { answer: move.extra } : kind?.extra ? { [kind.extra]: Number(move.extra) || 0 } : {};
    return [
      {
        day: move.day,
        at: move.at,
        event: {
          type: move.what,
          ...(kind?.object ? { [kind.object]: move.object } : {}),
          ...(kind?.fields ?? {}),
          ...extra,
        },
      },
    ];
  });
}

/** A first scene that fits how a sequence starts. */
export function firstMoves(
  start: { on: string; [name: string]: unknown } | undefined,
  offers: { key: string }[],
  course: Api["CourseShort"] | undefined,
): Edited[] {
  const buy = offers[0]?.key;
  const begin: Edited = buy
    ? { day: 0, at: "21:40", what: "purchased", object: buy, extra: "" }
    : { day: 0, at: "21:40", what: "enrolled", object: course?.key ?? "", extra: "" };
  const at = (day: number, what: string, object: unknown, extra = ""): Edited => ({
    day,
    at: "20:15",
    what,
    object: String(object ?? ""),
    extra,
  });
  switch (start?.on) {
    case "signed_up":
      return [at(0, "signed_up", start.form)];
    case "tag_added":
      return [at(0, "tag_added", start.tag)];
    case "lesson_completed":
    case "lesson_started":
      return [begin, at(3, start.on, start.lesson ?? course?.lessons[0]?.key)];
    case "lesson_watched":
      return [begin, at(3, "lesson_watched", start.lesson ?? course?.lessons[0]?.key, "50")];
    case "quiz_failed":
      return [begin, at(5, "quiz_taken", start.quiz ?? course?.quizzes[0]?.key, "45")];
    case "quiz_passed":
    case "quiz_taken":
      return [begin, at(5, "quiz_taken", start.quiz ?? course?.quizzes[0]?.key, "90")];
    case "module_completed":
      return [begin, at(6, "module", start.module ?? course?.modules[0]?.key)];
    case "course_completed":
    case "certificate_issued":
      return [begin, ...(course?.modules ?? []).map((module, index) => at(6 * (index + 1), "module", module.key))];
  }
  return [begin];
}
