import type { Api } from "../api/client";

export type Heard = Api["Heard"];

/** What is heard from one source, in order. */
export interface Told {
  id: string;
  source: Heard["source"];
  key: string;
  name: string;
  state: string;
  to: string;
  lines: Heard[];
}

/** Where a source is opened; nothing for what has no page of its own. */
export function placeOf(one: Heard): string {
  switch (one.source) {
    case "sequence":
      return `/sequences/${one.key}${one.step ? `?step=${one.step}` : ""}`;
    case "broadcast":
      return `/broadcasts/${one.key}`;
    case "destination":
      return `/school/destinations/${one.key}`;
    case "notice":
      return "/notices";
    case "needs_you":
      return "/today";
    case "site":
      return "";
  }
}

/** A cell by its sources, each once, in the order in which they begin to speak. */
export function bySource(heard: Heard[]): Told[] {
  const found = new Map<string, Told>();
  for (const one of heard) {
    const id = `${one.source}:${one.key}`;
    const there = found.get(id);
    if (there) there.lines.push(one);
    else
      found.set(id, {
        id,
        source: one.source,
        key: one.key,
        name: one.name,
        state: one.state,
        to: placeOf(one),
        lines: [one],
      });
  }
  return [...found.values()];
}

/** What all lines of a source say of whom they are for, said once above them. */
export function shared(told: Told): string {
  const first = told.lines[0]?.only ?? "";
  return told.lines.every((one) => one.only === first) ? first : "";
}
