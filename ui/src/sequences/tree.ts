import type { Sequence, Step } from "../api/school-file";

/** The lanes of a step: the nested lists of steps, with where they stand and what they are called. */
export interface Lane {
  path: (string | number)[];
  name: string;
  steps: Step[];
}

/** A place in the tree: a list of steps (by the step and lane it belongs to; null is the sequence itself) and an index in it. */
export interface Spot {
  owner: string | null;
  lane: string;
  index: number;
}

export function lanes(step: Step, phrases: string[] = []): Lane[] {
  switch (step.do) {
    case "wait_for":
      return [
        { path: ["then"], name: "Happens in time", steps: (step.then as Step[]) ?? [] },
        ...(step.within ? [{ path: ["else"], name: "Time passes first", steps: (step.else as Step[]) ?? [] }] : []),
      ];
    case "branch": {
      const arms = (step.arms as { steps?: Step[] }[]) ?? [];
      return [
        ...arms.map((arm, index) => ({
          path: ["arms", index, "steps"],
          name: phrases[index] ? `If the student ${phrases[index]}` : `If …`,
          steps: arm.steps ?? [],
        })),
        { path: ["otherwise"], name: "Otherwise", steps: (step.otherwise as Step[]) ?? [] },
      ];
    }
    case "repeat":
    case "dated":
      return [{ path: ["steps"], name: "", steps: (step.steps as Step[]) ?? [] }];
  }
  return [];
}

/** Every step, nested ones too, in reading order, with its place. */
export function* walk(
  steps: Step[],
  owner: string | null = null,
  lane = "",
): Generator<{ step: Step; spot: Spot; siblings: Step[] }> {
  for (const [index, step] of steps.entries()) {
    yield { step, spot: { owner, lane, index }, siblings: steps };
    for (const inner of lanes(step)) yield* walk(inner.steps, step.id, inner.path.join("/"));
  }
}

export function find(sequence: Sequence, id: string): { step: Step; spot: Spot; siblings: Step[] } | undefined {
  for (const found of walk(sequence.steps)) if (found.step.id === id) return found;
  return undefined;
}

/** The same steps with one list changed. Everything on the way is copied, nothing is changed in place. */
function withList(steps: Step[], owner: string | null, lane: string, change: (list: Step[]) => Step[]): Step[] {
  if (owner === null) return change(steps);
  return steps.map((step) => {
    let now = step;
    for (const inner of lanes(step)) {
      const own = step.id === owner && inner.path.join("/") === lane;
      const list = own ? change(inner.steps) : withList(inner.steps, owner, lane, change);
      if (list !== inner.steps) now = put(now, inner.path, list);
    }
    return now;
  });
}

function put(target: Step, path: (string | number)[], list: Step[]): Step {
  const copy = JSON.parse(JSON.stringify(target)) as Step;
  let at: Record<string | number, unknown> = copy;
  for (const part of path.slice(0, -1)) at = at[part] as Record<string | number, unknown>;
  at[path.at(-1) as string] = list;
  return copy;
}

export function insert(sequence: Sequence, spot: Spot, step: Step): void {
  sequence.steps = withList(sequence.steps, spot.owner, spot.lane, (list) => [
    ...list.slice(0, spot.index),
    step,
    ...list.slice(spot.index),
  ]);
}

export function replace(sequence: Sequence, step: Step): void {
  const found = find(sequence, step.id);
  if (found)
    sequence.steps = withList(sequence.steps, found.spot.owner, found.spot.lane, (list) =>
      list.map((one) => (one.id === step.id ? step : one)),
    );
}

/** Takes a step out; returns the id of the step that then stands nearest. */
export function remove(sequence: Sequence, id: string): string {
  const found = find(sequence, id);
  if (!found) return "";
  const near =
    found.siblings[found.spot.index + 1]?.id ?? found.siblings[found.spot.index - 1]?.id ?? found.spot.owner ?? "";
  sequence.steps = withList(sequence.steps, found.spot.owner, found.spot.lane, (list) =>
    list.filter((one) => one.id !== id),
  );
  return near;
}

/** Moves a step up or down in its list; at the end of a lane it stays. */
export function move(sequence: Sequence, id: string, by: 1 | -1): boolean {
  const found = find(sequence, id);
  const to = found ? found.spot.index + by : -1;
  if (!found || to < 0 || to >= found.siblings.length) return false;
  sequence.steps = withList(sequence.steps, found.spot.owner, found.spot.lane, (list) => {
    const steps = list.filter((one) => one.id !== id);
    return [...steps.slice(0, to), found.step, ...steps.slice(to)];
  });
  return true;
}

/**
 * Moves a step into the last lane of the step above it, which is the nearest to it. Waypoints stand only at the top
 * level, so they don't go in.
 */
export function moveIn(sequence: Sequence, id: string): boolean {
  const found = find(sequence, id);
  const above = found?.siblings[found.spot.index - 1];
  const lane = above ? lanes(above).at(-1) : undefined;
  if (!found || !above || !lane || found.step.do === "waypoint") return false;
  remove(sequence, id);
  insert(sequence, { owner: above.id, lane: lane.path.join("/"), index: lane.steps.length }, found.step);
  return true;
}

/** Moves a step out of its lane, to behind the step the lane belongs to. */
export function moveOut(sequence: Sequence, id: string): boolean {
  const found = find(sequence, id);
  const owner = found?.spot.owner ? find(sequence, found.spot.owner) : undefined;
  if (!found || !owner) return false;
  remove(sequence, id);
  insert(sequence, { ...owner.spot, index: owner.spot.index + 1 }, found.step);
  return true;
}

export function freshId(sequence: Sequence, kind: string): string {
  const taken = new Set([...walk(sequence.steps)].map((found) => found.step.id));
  let n = 1;
  while (taken.has(`${kind}-${n}`)) n += 1;
  return `${kind}-${n}`;
}

/** A copy of a step with ids of its own, nested ones too. */
export function copyOf(sequence: Sequence, step: Step): Step {
  const taken = new Set([...walk(sequence.steps)].map((found) => found.step.id));
  const copy = JSON.parse(JSON.stringify(step)) as Step;
  for (const { step: one } of walk([copy])) {
    const stem = one.id.replace(/-\d+$/, "");
    let n = 2;
    while (taken.has(`${stem}-${n}`)) n += 1;
    one.id = `${stem}-${n}`;
    taken.add(one.id);
  }
  return copy;
}

export const KINDS: { do: string; name: string; key: string; group: string; hint: string }[] = [
  { do: "send", name: "Letter", key: "l", group: "Post", hint: "a letter to the student" },
  { do: "wait", name: "Wait", key: "w", group: "Time", hint: "days, hours, until ten in the morning" },
  {
    do: "wait_for",
    name: "Wait for",
    key: "f",
    group: "Time",
    hint: "until the student does something, or time passes",
  },
  { do: "dated", name: "On a date", key: "d", group: "Time", hint: "steps pinned to a date" },
  { do: "repeat", name: "Repeat", key: "r", group: "Time", hint: "the same steps again and again" },
  { do: "branch", name: "Branch", key: "b", group: "Ways", hint: "different ways for different students" },
  { do: "waypoint", name: "Waypoint", key: "p", group: "Ways", hint: "whoever reaches it skips everything before" },
  { do: "end", name: "End", key: "e", group: "Ways", hint: "the sequence is over here" },
  { do: "tag", name: "Tag", key: "t", group: "Acts", hint: "put a tag on or take one off" },
  { do: "certificate", name: "Certificate", key: "", group: "Acts", hint: "issue it" },
  { do: "tell", name: "Tell someone", key: "", group: "Post", hint: "a letter to you or a helper" },
  { do: "start_sequence", name: "Start a sequence", key: "", group: "Acts", hint: "hand over to another one" },
  { do: "stop_sequence", name: "Stop a sequence", key: "", group: "Acts", hint: "take the student out of another one" },
  { do: "call", name: "Call a web address", key: "", group: "Acts", hint: "a signed message to another program" },
];

/** A new step of a kind, ready to be filled in. */
export function fresh(sequence: Sequence, kind: string, course: string | undefined): Step {
  const names: Record<string, string> = {
    send: "letter",
    wait_for: "until",
    start_sequence: "start",
    stop_sequence: "stop",
  };
  const id = freshId(sequence, names[kind] ?? kind);
  const done = { on: "lesson_completed", ...(course ? { course } : {}) };
  const soon = new Date(Date.now() + 14 * 86_400_000).toISOString().slice(0, 10);
  const fields: Record<string, object> = {
    send: { letter: "" },
    wait: { for: "P1D", at: "10:00", days: null, zone: "student", since: "previous" },
    wait_for: { event: done, within: "P7D", then: [], else: [] },
    branch: { arms: [{ if: { is: "enrolled", course: course ?? "any" }, steps: [] }], otherwise: [] },
    tag: { add: [], remove: [] },
    waypoint: { reach: done, hold: false },
    repeat: {
      times: 4,
      steps: [
        {
          id: freshId(sequence, "week"),
          do: "wait",
          for: "P7D",
          at: "10:00",
          days: null,
          zone: "student",
          since: "previous",
        },
      ],
    },
    dated: { at: `${soon}T18:00`, zone: "school", grace: null, steps: [] },
    start_sequence: { sequence: "" },
    stop_sequence: { sequence: "" },
    tell: { to: "owner", letter: "" },
    certificate: { course: "this" },
    call: { url: "https://" },
  };
  return { id, do: kind, ...(fields[kind] ?? {}) };
}
