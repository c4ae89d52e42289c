import type { Posts } from "../parts/posted";
import type { Api } from "./client";

/**
 * Parts of the school file that the screens change. What is edited as a whole has the type that its model has (`Api`); of what
 * is put together step by step and block by block, these types name the keys that are touched and let everything else pass
 * through: a draft need not be complete. That fresh ones fit the models is tested (tests/web/test_fresh_pieces.py).
 */
export type Matcher = { on: string; [selector: string]: unknown };

export type Step = Posts & {
  id: string;
  do: string;
  for?: string | null;
  at?: string | null;
  days?: string[] | null;
  zone?: "student" | "school";
  since?: "previous" | "start";
  [key: string]: unknown;
};

export type PostingHours = Api["PostingHours"];

/** Posting hours to begin with, wherever somebody switches some on. */
export const FRESH_HOURS: PostingHours = {
  from: "09:00",
  to: "19:00",
  days: ["mon", "tue", "wed", "thu", "fri", "sat", "sun"],
  zone: "student",
};

export type Sequence = {
  key: string;
  name: string;
  status: string;
  starts: Matcher[];
  again: "once" | "once_per_subject" | "when_finished" | "every_time";
  leaves: Matcher[];
  posting_hours: "school" | PostingHours | null;
  holds_broadcasts: boolean;
  trial?: { key: string; hold_back: number; goal: Matcher; within: string } | null;
  reply_to: string | null;
  steps: Step[];
  [key: string]: unknown;
};

export type Broadcast = Posts & {
  key: string;
  name: string;
  status: "draft" | "scheduled";
  course: string | null;
  to: { [name: string]: unknown } | null;
  without: string[];
  at: string;
  zone: "school" | "student";
  late: "at_once" | "skip";
  posting_hours: "school" | PostingHours | null;
  inside: "pass_by" | "wait";
  within: string | null;
};

export type Answer = {
  key: string;
  label: string;
  add_tags?: string[];
  remove_tags?: string[];
  stops_help?: boolean;
  leaves?: boolean;
  page?: string | null;
  url?: string | null;
  value?: number | null;
  ask?: string;
};

/** A block of a letter; `only_if` is the condition under which a student sees it. */
export type Block = { only_if?: Record<string, unknown> | null } & (
  | { kind: "text"; html: string }
  | { kind: "button"; label: string; url: string }
  | { kind: "picture"; url: string; alt: string; link: string | null }
  | { kind: "course_card"; course: string | null; offer: string | null; label: string }
  | { kind: "certificate"; claim?: boolean }
  | { kind: "next_lesson"; label: string }
  | { kind: "divider" }
  | { kind: "space"; size: "small" | "medium" | "large" }
  | { kind: "signature" }
  | { kind: "event"; title: string; at: string; minutes: number; place: string; url: string; zone: string | null }
  | { kind: "note"; text: string }
  | { kind: "answers"; question: string; answers: Answer[]; beside?: boolean }
  | { kind: "columns"; left: Block[]; right: Block[] }
);

export type Letter = {
  key: string;
  name: string;
  purpose: "service" | "course_help" | "news";
  subject: string;
  preheader: string;
  blocks: Block[];
  min_gap: string | null;
  layout: string | null;
  reply_to: string | null;
};

export type Signature = Api["Signature"];
export type Layout = Api["Layout"];
export type School = Api["School"];

export const PURPOSES = {
  service: "Service",
  course_help: "Course help",
  news: "News",
} as const;
