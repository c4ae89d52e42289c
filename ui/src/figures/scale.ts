/** Shares (0 to 1) and differences of them (-1 to 1) as places along a line, in percent of its length. */
export const place = (value: number, least: number, most: number): number =>
  most > least ? (100 * (Math.min(most, Math.max(least, value)) - least)) / (most - least) : 0;

/** As far to both sides of nought as the ranges reach, in whole tenths, so that nought stands in the middle. */
export const reach = (values: number[]): number =>
  Math.min(1, Math.max(0.1, Math.ceil(10 * Math.max(...values.map(Math.abs), 0)) / 10));

export const percent = (share: number): string => `${Math.round(100 * share)}%`;

/** Round days for an axis that ends on a day: at most seven, the first is nought. */
export function axis(last: number): number[] {
  const step = [1, 2, 5, 7, 14, 30, 60, 90, 180, 365].find((one) => last / one <= 6) ?? 730;
  return Array.from({ length: Math.floor(last / step) + 1 }, (_, at) => at * step);
}
