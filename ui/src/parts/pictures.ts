import { rooted } from "../api/base";
import { type Api, csrfToken } from "../api/client";

/** Upload a picture file; the answer is the picture as it is kept. Throws with the server's sentence. */
export async function uploaded(file: File): Promise<Api["PictureOut"]> {
  const answer = await fetch(rooted(`/api/pictures?${new URLSearchParams({ name: file.name.slice(0, 200) })}`), {
    method: "POST",
    headers: { "X-CSRF-Token": csrfToken(), "Content-Type": "application/octet-stream" },
    body: file,
  });
  const found = (await answer.json().catch(() => ({}))) as Api["PictureOut"] & { detail?: string };
  if (!answer.ok) throw new Error(found.detail ?? "The picture could not be taken in. Try again.");
  return found;
}
