/** A size in bytes as one reads it: 820 kB, 1.4 GB. */
export function sized(bytes: number): string {
  const units = ["kB", "MB", "GB", "TB"];
  let value = bytes / 1000;
  let at = 0;
  while (value >= 1000 && at < units.length - 1) {
    value /= 1000;
    at += 1;
  }
  return `${value < 10 && at > 0 ? value.toFixed(1) : Math.max(1, Math.round(value))} ${units[at]}`;
}
