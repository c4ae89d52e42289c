import { api, data, ONLY_NEW } from "../api/client";
import { freeKey } from "../parts/keys";

/** What an empty letter begins with. */
export const BLANK = [{ kind: "text", html: "<p>Hello {{ student.first_name | default('there') }},</p><p></p>" }];

/** Make an empty letter; returns its key. */
export async function makeLetter(name: string, purpose = "course_help"): Promise<string> {
  const letters = await data(api.GET("/api/letters"));
  const key = freeKey(
    name,
    letters.map((one) => one.key),
  );
  const body = { name, purpose, subject: "", blocks: BLANK };
  await data(api.PUT("/api/letters/{key}", { params: { path: { key }, header: ONLY_NEW }, body }));
  return key;
}
