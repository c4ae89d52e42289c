import type { PostingHours, Sequence, Step } from "../api/school-file";

export const STATUS: Record<string, string> = {
  draft: "Draft",
  running: "Running",
  paused: "Paused",
  closed: "Closed",
};

export const AGAIN: Record<Sequence["again"], string> = {
  once: "once ever",
  once_per_subject: "once per course",
  when_finished: "again when finished",
  every_time: "every time",
};

export const WEEKDAYS = [
  ["mon", "Monday"],
  ["tue", "Tuesday"],
  ["wed", "Wednesday"],
  ["thu", "Thursday"],
  ["fri", "Friday"],
  ["sat", "Saturday"],
  ["sun", "Sunday"],
] as const;

const UNITS = { D: "day", W: "week", H: "hour", M: "minute" } as const;
export type Unit = keyof typeof UNITS;

/** A simple duration as number and unit; null for one that has several parts. */
export function simple(duration: string | null | undefined): { number: number; unit: Unit } | null {
  const match = /^P(?:(\d+)([DW])|T(\d+)([HM]))$/.exec(duration ?? "");
  if (!match) return null;
  return { number: Number(match[1] ?? match[3]), unit: (match[2] ?? match[4]) as Unit };
}

export function duration(number: number, unit: Unit): string {
  return unit === "D" || unit === "W" ? `P${number}${unit}` : `PT${number}${unit}`;
}

export function spanWords(text: string | null | undefined): string {
  const found = simple(text);
  if (!found) return text ?? "";
  return `${found.number} ${UNITS[found.unit]}${found.number === 1 ? "" : "s"}`;
}

/** A wait as the editor shows it: “next day, at 10:00”. The parts that can be changed come marked. */
export function waitWords(step: Step): { text: string; mark?: boolean }[] {
  const found = simple(step.for);
  const words: { text: string; mark?: boolean }[] = [];
  if (!step.for && !step.at) words.push({ text: "no wait" });
  else if (found && found.number === 1 && found.unit === "D" && step.at) words.push({ text: "next day" });
  else if (step.for)
    words.push(
      { text: spanWords(step.for), mark: true },
      { text: step.since === "start" ? "after the start" : "later" },
    );
  if (step.at) words.push({ text: "at" }, { text: step.at, mark: true });
  if (step.days?.length) words.push({ text: "on" }, { text: daysWords(step.days), mark: true });
  if (step.zone === "school") words.push({ text: "school time" });
  return words;
}

export function daysWords(days: string[]): string {
  if (days.length === 7) return "any day";
  const names = WEEKDAYS.filter(([key]) => days.includes(key)).map(([, name]) => name.slice(0, 3));
  if (days.length === 5 && !days.includes("sat") && !days.includes("sun")) return "weekdays";
  return names.length > 1 ? `${names.slice(0, -1).join(", ")} or ${names.at(-1)}` : (names[0] ?? "");
}

export function hoursWords(hours: PostingHours | null): string {
  if (!hours) return "at any hour";
  return `${hours.from}–${hours.to}${hours.days.length < 7 ? `, ${daysWords(hours.days)}` : ""}`;
}

/** How many a trial may hold back, in percent, as one says it. */
export const HELD_BACK: Record<number, string> = {
  50: "1 in 2",
  33: "1 in 3",
  25: "1 in 4",
  20: "1 in 5",
  10: "1 in 10",
};
export const oneIn = (percent: number): string => HELD_BACK[percent] ?? `${percent} in 100`;
