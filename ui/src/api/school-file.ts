/**
 * Parts of the school file that the screens change. The API carries them as
 * plain objects in the form of the published JSON Schema; these types name the
 * keys that are touched here and let everything else pass through.
 */
export type Matcher = { on: string; [selector: string]: unknown };

export interface Step {
  id: string;
  do: string;
  letter?: string;
  for?: string | null;
  at?: string | null;
  days?: string[] | null;
  zone?: "student" | "school";
  since?: "previous" | "start";
  [key: string]: unknown;
}

export interface PostingHours {
  from: string;
  to: string;
  days: string[];
  zone: "student" | "school";
}

/** Posting hours to begin with, wherever somebody switches some on. */
export const FRESH_HOURS: PostingHours = {
  from: "09:00",
  to: "19:00",
  days: ["mon", "tue", "wed", "thu", "fri", "sat", "sun"],
  zone: "student",
};

export interface Sequence {
  key: string;
  name: string;
  status: string;
  starts: Matcher[];
  again: "once" | "once_per_subject" | "when_finished" | "every_time";
  leaves: Matcher[];
  posting_hours: "school" | PostingHours | null;
  holds_broadcasts: boolean;
  reply_to: string | null;
  steps: Step[];
  [key: string]: unknown;
}

export interface Broadcast {
  key: string;
  name: string;
  status: "draft" | "scheduled";
  letter: string;
  course: string | null;
  to: { [name: string]: unknown } | null;
  without: string[];
  at: string;
  zone: "school" | "student";
  late: "at_once" | "skip";
  posting_hours: "school" | PostingHours | null;
  inside: "pass_by" | "wait";
  within: string | null;
}

export interface Answer {
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
}

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

export interface Letter {
  key: string;
  name: string;
  purpose: "service" | "course_help" | "news";
  subject: string;
  preheader: string;
  blocks: Block[];
  min_gap: string | null;
  layout: string | null;
  reply_to: string | null;
}

export interface Signature {
  name: string;
  text: string;
  picture: string | null;
  links: { label: string; url: string }[];
}

export interface Layout {
  key: string;
  name: string;
  logo: string | null;
  logo_width: number;
  header: "name" | "logo" | "both" | "none";
  align: "left" | "center";
  ground: string;
  paper: string;
  ink: string;
  soft: string;
  accent: string;
  link: string;
  button: string;
  button_ink: string;
  type: "serif" | "sans" | "typewriter";
  size: number;
  button_shape: "square" | "rounded" | "round";
  footer: string;
  links: { label: string; url: string }[];
  signature: Signature | null;
  html: string | null;
}

export const PURPOSES = {
  service: "Service",
  course_help: "Course help",
  news: "News",
} as const;

export interface School {
  name: string;
  timezone: string;
  sender: { name: string; email: string };
  reply_to: string | null;
  postal_address: string;
  login_url: string | null;
  posting_hours: PostingHours | null;
  daily_limit: number | null;
  layout: string | null;
  signature: Signature | null;
  tracking: { links: boolean; openings: boolean };
  campaign: { source: string; medium: string; campaign: string | null } | null;
}
