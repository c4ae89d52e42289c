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

export interface Sequence {
  key: string;
  name: string;
  status: string;
  starts: Matcher[];
  again: "once" | "once_per_subject" | "when_finished" | "every_time";
  leaves: Matcher[];
  posting_hours: "school" | PostingHours | null;
  holds_broadcasts: boolean;
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

export type Block =
  | { kind: "text"; html: string }
  | { kind: "button"; label: string; url: string }
  | { kind: "picture"; url: string; alt: string; link: string | null }
  | { kind: "divider" }
  | { kind: "answers"; question: string; answers: { key: string; label: string; add_tags?: string[]; remove_tags?: string[]; stops_help?: boolean; leaves?: boolean; page?: string | null; url?: string | null }[] };

export interface Letter {
  key: string;
  name: string;
  purpose: "service" | "course_help" | "news";
  subject: string;
  preheader: string;
  blocks: Block[];
  min_gap: string | null;
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
}
