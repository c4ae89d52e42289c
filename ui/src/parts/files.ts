import { rooted } from "../api/base";
import { csrfToken, proven, Refusal } from "../api/client";

/** Ask for a file and let the browser keep it. */
export async function keepFile(address: string, name: string, body?: unknown): Promise<void> {
  const asking = () =>
    fetch(
      rooted(address),
      body === undefined
        ? {}
        : {
            method: "POST",
            headers: { "Content-Type": "application/json", "X-CSRF-Token": csrfToken() },
            body: JSON.stringify(body),
          },
    );
  const answer = await proven(await asking(), asking);
  if (!answer.ok) {
    const said = (await answer.json().catch(() => ({}))) as { detail?: string };
    throw new Refusal(answer.status, said.detail ?? "The file could not be made. Try again in a moment.");
  }
  const link = document.createElement("a");
  link.href = URL.createObjectURL(await answer.blob());
  link.download = name;
  link.click();
  window.setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

/** Send a file as it is; what the server has read in it comes back. Throws its refusal. */
export async function sendFile<T>(address: string, file: File): Promise<T> {
  const asking = () =>
    fetch(rooted(address), {
      method: "POST",
      headers: { "X-CSRF-Token": csrfToken(), "Content-Type": "application/octet-stream" },
      body: file,
    });
  const answer = await proven(await asking(), asking);
  const said = (await answer.json().catch(() => ({}))) as T & { detail?: string };
  if (!answer.ok) throw new Refusal(answer.status, said.detail ?? "This file could not be read.");
  return said;
}
