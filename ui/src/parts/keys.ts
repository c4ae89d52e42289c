/** A key made from a name: small letters, digits and hyphens, and none that is taken. */
export function freeKey(name: string, taken: string[]): string {
  const plain =
    name
      .normalize("NFKD")
      .replace(/\p{M}/gu, "")
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-+|-+$/g, "")
      .slice(0, 60) || "new";
  let key = plain;
  for (let n = 2; taken.includes(key) || key === "this" || key === "any"; n += 1) key = `${plain}-${n}`;
  return key;
}
