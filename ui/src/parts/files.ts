import { csrfToken, Refusal } from "../api/client";

/** Ask for a file and let the browser keep it. */
export async function keepFile(address: string, name: string, body?: unknown): Promise<void> {
  const answer = await fetch(
    address,
    body === undefined
      ? {}
      : {
          method: "POST",
          headers: { "Content-Type": "application/json", "X-CSRF-Token": csrfToken() },
          body: JSON.stringify(body),
        },
  );
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
