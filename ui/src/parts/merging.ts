/** One place where two states of the same thing differ; `both`: both sides have changed it since they parted. */
export interface Difference {
  path: (string | number)[];
  mine: unknown;
  theirs: unknown;
  both: boolean;
}

type Plain = Record<string, unknown>;
const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
const isPlain = (value: unknown): value is Plain =>
  typeof value === "object" && value !== null && !Array.isArray(value);
const sameLength = (...lists: unknown[]) =>
  lists.every((one) => Array.isArray(one) && one.length === (lists[0] as unknown[]).length);
/** A block, a step, a module is chosen as a whole. */
const DEEPEST = 2;

/** Where two states differ that both came from `base`: place by place, down to a single block, step or module. */
export function differences(
  base: unknown,
  mine: unknown,
  theirs: unknown,
  path: (string | number)[] = [],
): Difference[] {
  if (same(mine, theirs)) return [];
  if (path.length < DEEPEST && isPlain(mine) && isPlain(theirs)) {
    const names = [...new Set([...Object.keys(mine), ...Object.keys(theirs)])];
    const from = isPlain(base) ? base : {};
    return names.flatMap((name) => differences(from[name], mine[name], theirs[name], [...path, name]));
  }
  if (path.length < DEEPEST && sameLength(base, mine, theirs)) {
    const [from, own, other] = [base, mine, theirs] as unknown[][];
    return (own ?? []).flatMap((one, at) => differences(from?.[at], one, other?.[at], [...path, at]));
  }
  return [{ path, mine, theirs, both: !same(base, mine) && !same(base, theirs) }];
}

/** My state with what the others have at the places that are theirs. */
export function withTheirs<T extends object>(mine: T, theirs: Difference[]): T {
  const now = JSON.parse(JSON.stringify(mine)) as T;
  for (const { path, theirs: value } of theirs) {
    let at = now as Plain;
    for (const part of path.slice(0, -1)) at = at[part] as Plain;
    const last = path.at(-1) as string | number;
    if (value === undefined) delete at[last];
    else at[last] = JSON.parse(JSON.stringify(value));
  }
  return now;
}

const PLACES: Record<string, string> = {
  html: "Frame in HTML",
  only_if: "Who comes in",
  again: "How often",
  leaves: "Leaves early",
  posting_hours: "Posting hours",
  to: "Who gets it",
  at: "When",
  reply_to: "Replies go to",
  login_url: "Where students sign in",
  url: "Where it is learnt",
  review_url: "Where feedback is written",
};
const SINGLE: Record<string, string> = { blocks: "Block", steps: "Step", modules: "Module", starts: "Start" };

/** A place in words: “Block 3”, “Subject”. */
export function placeWords(path: (string | number)[]): string {
  const [first = "", second] = path[0] === "body" ? path.slice(1) : path;
  const name = PLACES[first] ?? String(first).replaceAll("_", " ");
  const words = name[0] ? name[0].toUpperCase() + name.slice(1) : name;
  if (typeof second === "number") return `${SINGLE[first] ?? words} ${second + 1}`;
  return second === undefined ? words : `${words}, ${String(second).replaceAll("_", " ")}`;
}

const HIDDEN = new Set(["id", "key", "kind"]);
const LONGEST = 240;

/** What stands there, as text one can read. */
export function valueWords(value: unknown): string {
  const said = spoken(value).replace(/\s+/g, " ").trim();
  if (!said) return "nothing";
  return said.length > LONGEST ? `${said.slice(0, LONGEST)} …` : said;
}

const textOf = (html: string) =>
  new DOMParser().parseFromString(html.replaceAll("<", " <"), "text/html").body.textContent ?? "";

function spoken(value: unknown): string {
  if (value === null || value === undefined) return "";
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (typeof value === "string") return value.includes("<") || value.includes("&") ? textOf(value) : value;
  if (Array.isArray(value)) return value.map(spoken).filter(Boolean).join(" · ");
  if (!isPlain(value)) return String(value);
  const parts = Object.entries(value).filter(([name]) => !HIDDEN.has(name));
  return parts
    .map(([, part]) => spoken(part))
    .filter(Boolean)
    .join(" · ");
}
