/** The name and fallback of a field such as `student.first_name | default('Hello')`. */
export function readField(expression: string): { name: string; fallback: string | null; filters: string } {
  const [name = "", ...filters] = expression.split("|").map((part) => part.trim());
  const found = filters.map((f) => /^default\(\s*(?:'((?:[^'\\]|\\.)*)'|"((?:[^"\\]|\\.)*)")/.exec(f)).find(Boolean);
  const others = filters.filter((f) => !f.startsWith("default"));
  const fallback = found ? (found[1] ?? found[2] ?? "").replace(/\\(.)/g, "$1") : null;
  return { name, fallback, filters: others.join(" | ") };
}

export function writeField(field: { name: string; fallback: string | null; filters: string }): string {
  const fallback = field.fallback === null ? "" : ` | default('${field.fallback.replace(/[\\']/g, "\\$&")}')`;
  return `${field.name}${fallback}${field.filters ? ` | ${field.filters}` : ""}`;
}

export const fieldLabel = (name: string) => name.replace(/^student\.(fields\.)?/, "").replaceAll(/[._]/g, " ");

/** A field as a chip says it: “first name, else Hello”. */
export function chipWords(expression: string): string {
  const { name, fallback } = readField(expression);
  return fieldLabel(name) + (fallback === null ? "" : `, else ${fallback || "nothing"}`);
}
