const MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];
const WEEKDAY = /^(mon|tue|wed|thu|fri|sat|sun)[a-z]*[,.]?\s+/;

const iso = (year: number, month: number, day: number): string | null => {
  const found = new Date(Date.UTC(year, month - 1, day));
  const real = found.getUTCFullYear() === year && found.getUTCMonth() === month - 1 && found.getUTCDate() === day;
  return real ? found.toISOString().slice(0, 10) : null;
};

/** A date as the whole application writes it: “Thu 12 Mar 2026” for 2026-03-12. */
export function dateWords(date: string): string {
  const found = new Date(`${date}T12:00:00Z`);
  if (Number.isNaN(found.getTime())) return date;
  const part = (options: Intl.DateTimeFormatOptions) =>
    found.toLocaleDateString("en-GB", { timeZone: "UTC", ...options });
  const month = MONTHS[found.getUTCMonth()]?.replace(/^./, (c) => c.toUpperCase());
  return `${part({ weekday: "short" })} ${part({ day: "numeric" })} ${month} ${part({ year: "numeric" })}`;
}

/** What was typed as a date, day before month, ISO too; without a year it is the one of `near`. Null when it is none. */
export function readDate(typed: string, near: string): string | null {
  const text = typed.trim().toLowerCase().replace(WEEKDAY, "");
  const whole = /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(text);
  if (whole) return iso(Number(whole[1]), Number(whole[2]), Number(whole[3]));
  const named = /^(\d{1,2})\.?\s*([a-z]{3})[a-z]*\.?,?(?:\s+(\d{4}))?$/.exec(text);
  const plain = /^(\d{1,2})\s*[./]\s*(\d{1,2})\s*[./]?(?:\s*(\d{4}))?$/.exec(text);
  const found = named ?? plain;
  if (!found) return null;
  const month = named ? MONTHS.indexOf(named[2] ?? "") + 1 : Number(plain?.[2]);
  return month ? iso(Number(found[3] ?? near.slice(0, 4)), month, Number(found[1])) : null;
}

/** The date so many days later. */
export function addDays(date: string, days: number): string {
  const found = new Date(`${date}T12:00:00Z`);
  found.setUTCDate(found.getUTCDate() + days);
  return found.toISOString().slice(0, 10);
}

export const today = () => new Date().toISOString().slice(0, 10);
