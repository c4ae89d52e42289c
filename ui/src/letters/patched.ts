/** A copy with values replaced, as “replace” of a JSON Patch says (RFC 6902 section 4.3). */
export function patched<T extends object>(body: T, patch: { [name: string]: unknown }[]): T {
  const copy = JSON.parse(JSON.stringify(body)) as T;
  for (const step of patch) {
    const path = String(step.path).split("/").slice(1);
    const last = path.pop();
    const place = path.reduce<Record<string, unknown> | undefined>(
      (found, name) => found?.[name] as Record<string, unknown> | undefined,
      copy as Record<string, unknown>,
    );
    if (step.op === "replace" && place && last !== undefined) place[last] = step.value;
  }
  return copy;
}
