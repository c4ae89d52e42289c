/**
 * The connection file as it is pointed together on screen: what stands where. What it means is the server's to say
 * (`/try`); here a click on a value becomes a place, and a place a part of the file.
 */
export interface At {
  place: string;
  after?: string;
  before?: string;
  map?: Record<string, string>;
  of?: string;
}
export type Value = string | At | { is: string };
export interface Test {
  place: string;
  is?: string[];
  not?: string[];
  exists?: boolean;
}
export interface Rule {
  when: Test[];
  event: { type: string; [field: string]: Value | string };
}
export interface Proof {
  kind: string;
  [part: string]: unknown;
}
export interface ConnectionFile {
  format: string;
  version: number;
  key: string;
  name: string;
  proof: Proof;
  each: string | null;
  student: { email: Value | null; fields?: Record<string, Value>; [name: string]: unknown };
  at: { place: string; as: string } | null;
  id: string[] | null;
  rules: Rule[];
}
export interface Guess {
  what: string;
  pointer: string;
  text: string;
  shape: string;
  line: string | null;
}

/** What a rule can say has happened, the likeliest first, and the event's own fields with what they are called. */
export const HAPPENED: { type: string; says: string; fields: Record<string, string> }[] = [
  {
    type: "purchased",
    says: "has bought",
    fields: { offer: "what was bought", order: "the order number", amount: "the amount" },
  },
  { type: "refunded", says: "got a refund for", fields: { offer: "what was bought" } },
  { type: "enrolled", says: "was enrolled in", fields: { course: "the course" } },
  { type: "lesson_started", says: "began a lesson", fields: { lesson: "the lesson" } },
  {
    type: "lesson_watched",
    says: "watched a part of a lesson",
    fields: { lesson: "the lesson", percent: "how much of it" },
  },
  { type: "lesson_completed", says: "finished a lesson", fields: { lesson: "the lesson" } },
  { type: "quiz_taken", says: "took a quiz", fields: { quiz: "the quiz", score: "the score" } },
  { type: "signed_in", says: "signed in", fields: {} },
  { type: "signed_up", says: "signed up with a form", fields: { form: "the form" } },
  { type: "news_stopped", says: "wants no more news", fields: {} },
  { type: "tag_added", says: "gets a tag", fields: { tag: "the tag" } },
  { type: "tag_removed", says: "loses a tag", fields: { tag: "the tag" } },
];
export const fieldsOf = (type: string) => HAPPENED.find((one) => one.type === type)?.fields ?? {};

/** Fields whose texts stand for things of the school, so that each has to be said once. */
export const NAMED = ["offer", "course", "lesson", "quiz"];
/** What may be left out. */
export const OPTIONAL = ["order", "amount", "via"];

/** What is said about the student; anything else is a field of their record. */
export const ABOUT: Record<string, string> = {
  email: "the student's address",
  first_name: "their first name",
  last_name: "their last name",
  timezone: "their time zone",
  news: "whether they agree to news",
};

const parts = (pointer: string) =>
  pointer
    .split("/")
    .slice(1)
    .map((part) => part.replaceAll("~1", "/").replaceAll("~0", "~"));

/** The pointer of what stands inside another. */
export const within = (pointer: string, name: string | number) =>
  `${pointer}/${String(name).replaceAll("~", "~0").replaceAll("/", "~1")}`;

/** The place of a value: inside one of the items where it stands in one, else in the message. */
export function placeOf(pointer: string, lines: string[]): string {
  const line = lines.find((one) => pointer === one || pointer.startsWith(`${one}/`));
  return line === undefined ? pointer : `item${pointer.slice(line.length)}`;
}

/** A place as one reads it: “order · buyer · mail”, “line · sku”. */
export function placeWords(place: string): string {
  if (place === "item") return "the line";
  const inside = place.startsWith("item/");
  const names = parts(inside ? place.slice(4) : place);
  return [...(inside ? ["line"] : []), ...names].join(" · ") || "the whole message";
}

/** The path to each thing in a list (RFC 9535), written so that any name is a name. */
export const pathTo = (list: string) =>
  `$${parts(list)
    .map((part) =>
      /^[A-Za-z_][A-Za-z0-9_]*$/.test(part)
        ? `.${part}`
        : /^\d+$/.test(part)
          ? `[${part}]`
          : `[${JSON.stringify(part)}]`,
    )
    .join("")}[*]`;

/** A path as one reads it: “order · lines”. */
export const pathWords = (path: string) =>
  path
    .replace(/^\$\.?/, "")
    .replace(/\[\*\]$/, "")
    .replaceAll(/[.[\]"]+/g, " · ")
    .replace(/ · $/, "") || "the message";

/** The file with each thing of a list as an item: what was pointed at in one of them is meant in each. */
export function withLines(file: ConnectionFile, list: string): ConnectionFile {
  const inOne = new RegExp(`^${list.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")}/\\d+(?=/|$)`);
  const moved = JSON.parse(JSON.stringify(file), (_, value: unknown) =>
    typeof value === "string" ? value.replace(inOne, "item") : value,
  ) as ConnectionFile;
  return { ...moved, each: pathTo(list) };
}

/** The place at which a value is read, if it stands anywhere. */
export function readAt(value: Value | null | undefined): string | undefined {
  if (typeof value === "string") return value;
  return value && "place" in value ? value.place : undefined;
}

/** A thing that a value can be said to be: which part of the file it is, and what that is called. */
export interface Meaning {
  part: string;
  says: string;
}

/** Everything a value can be said to be, for a rule of the file. */
export function meanings(file: ConnectionFile, rule: number): Meaning[] {
  const event = file.rules[rule]?.event;
  const own = event ? Object.entries(fieldsOf(event.type)) : [];
  return [
    ...own.map(([field, says]) => ({ part: `rule.${field}`, says })),
    ...(event?.type === "quiz_taken" ? [{ part: "rule.of", says: "out of how many points" }] : []),
    ...Object.entries(ABOUT).map(([name, says]) => ({ part: `student.${name}`, says })),
    { part: "at", says: "when it happened" },
    { part: "id", says: "what tells it from others, such as an order number" },
    { part: "when", says: "a condition: only messages like this" },
  ];
}

/** How a time is written, by its shape. */
export function shapeOf(text: string): string {
  return /^\d{9,10}(\.\d+)?$/.test(text) ? "seconds" : /^\d{12,13}$/.test(text) ? "milliseconds" : "rfc3339";
}

const copyOf = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

/** The file with a value taken for what it is said to be. */
export function taken(file: ConnectionFile, part: string, place: string, text: string, rule = 0): ConnectionFile {
  const now = copyOf(file);
  const [head = "", name = ""] = [part.split(".")[0], part.slice(part.indexOf(".") + 1)];
  if (head === "student") now.student[name] = place;
  else if (head === "fact") now.student.fields = { ...now.student.fields, [name]: place };
  else if (part === "at") now.at = { place, as: shapeOf(text) };
  else if (part === "id") now.id = [...new Set([...(now.id ?? []), place])];
  else if (part === "when" || head === "rule") {
    const one = (now.rules[rule] ??= { when: [], event: { type: "purchased" } });
    if (part === "when") one.when = [...one.when.filter((test) => test.place !== place), { place, is: [text] }];
    else if (name === "of") one.event.score = { ...asAt(one.event.score as Value), of: place };
    else if (NAMED.includes(name)) one.event[name] = { place, map: mapOf(one.event[name] as Value) };
    else one.event[name] = place;
  }
  return now;
}

/** A value with its steps, so that one more can be put to it. */
export function asAt(value: Value | undefined): At {
  if (typeof value === "string") return { place: value };
  return value && "place" in value ? { ...value } : { place: "" };
}
const mapOf = (value: Value | undefined) =>
  value && typeof value === "object" && "map" in value ? (value.map ?? {}) : {};

/** The file without what was taken for this. */
export function dropped(file: ConnectionFile, part: string, place: string, rule = 0): ConnectionFile {
  const now = copyOf(file);
  const [head = "", name = ""] = [part.split(".")[0], part.slice(part.indexOf(".") + 1)];
  if (part === "student.email") now.student.email = null;
  else if (head === "student") delete now.student[name];
  else if (head === "fact") delete now.student.fields?.[name];
  else if (part === "at") now.at = null;
  else if (part === "id") {
    const left = (now.id ?? []).filter((one) => one !== place);
    now.id = left.length ? left : null;
  } else if (part === "each") now.each = null;
  else {
    const one = now.rules[rule];
    if (one && part === "when") one.when = one.when.filter((test) => test.place !== place);
    else if (one) delete one.event[name];
  }
  return now;
}

/** What has been taken from where: for each place, what it was said to be, once for all rules. */
export function takenAt(file: ConnectionFile): Map<string, string[]> {
  const found = new Map<string, string[]>();
  const add = (place: string | undefined, says: string) => {
    if (place === undefined) return;
    const before = found.get(place) ?? [];
    if (!before.includes(says)) found.set(place, [...before, says]);
  };
  for (const [name, says] of Object.entries(ABOUT)) add(readAt(file.student[name] as Value), says);
  for (const [name, value] of Object.entries(file.student.fields ?? {})) add(readAt(value), name);
  add(file.at?.place, "when it happened");
  for (const place of file.id ?? []) add(place, "tells it from others");
  for (const rule of file.rules) {
    for (const test of rule.when) add(test.place, "condition");
    for (const [field, says] of Object.entries(fieldsOf(rule.event.type))) {
      add(readAt(rule.event[field] as Value), says);
      const of = rule.event[field];
      if (of && typeof of === "object" && "of" in of) add(of.of, "out of how many points");
    }
  }
  return found;
}

/** The places whose texts are asked for: those of conditions and of what stands for things of the school. */
export function asked(file: ConnectionFile): string[] {
  const places = file.rules.flatMap((rule) => [
    ...rule.when.map((test) => test.place),
    ...NAMED.map((field) => readAt(rule.event[field] as Value)),
  ]);
  return [...new Set(places.filter((place): place is string => place !== undefined))];
}

const GUESSED: Record<string, string> = {
  email: "student.email",
  first_name: "student.first_name",
  last_name: "student.last_name",
  at: "at",
  id: "id",
  topic: "when",
  offer: "rule.offer",
  amount: "rule.amount",
};
export const GUESS_SAYS: Record<string, string> = {
  each: "each of these is one thing that was bought",
  email: "the student's address",
  first_name: "their first name",
  last_name: "their last name",
  at: "when it happened",
  id: "what tells it from others",
  topic: "what the message is about",
  offer: "what was bought",
  amount: "the amount",
};

/** Where a guess stands: in one of the lines once these have been taken as lines. */
export const guessPlace = (file: ConnectionFile, guess: Guess) =>
  guess.line !== null && file.each === pathTo(guess.line) ? placeOf(guess.pointer, [`${guess.line}/0`]) : guess.pointer;

/** Whether a guess has been answered: taken, or something else taken in its stead. */
export function answered(file: ConnectionFile, guess: Guess): boolean {
  if (guess.what === "each") return file.each !== null;
  const part = GUESSED[guess.what] ?? "";
  const event = file.rules[0]?.event;
  if (part === "when") return (file.rules[0]?.when.length ?? 0) > 0;
  if (part === "at") return file.at !== null;
  if (part === "id") return file.id !== null;
  if (part.startsWith("rule.")) {
    const field = part.slice(5);
    return (event !== undefined && !(field in fieldsOf(event.type))) || event?.[field] !== undefined;
  }
  return Boolean(file.student[part.slice(8)]);
}

/** The file with a guess confirmed. */
export function confirmed(file: ConnectionFile, guess: Guess): ConnectionFile {
  if (guess.what === "each") return withLines(file, guess.pointer);
  return taken(file, GUESSED[guess.what] ?? "", guessPlace(file, guess), guess.text);
}
