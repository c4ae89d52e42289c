import type { Api } from "../api/client";

/** How soon somebody hears of something, as a choice. */
export const HOWS: { value: Api["Wish"]["how"]; label: string }[] = [
  { value: "off", label: "not at all" },
  { value: "at_once", label: "at once, several in one" },
  { value: "daily", label: "at eight the next morning" },
  { value: "weekly", label: "on Monday at eight" },
];
