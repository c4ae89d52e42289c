import createClient, { type Middleware } from "openapi-fetch";

import { BASE } from "./base";
import type { components, paths } from "./schema";

export type Api = components["schemas"];

/** A refusal by the server, worded for the owner. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

let csrf = "";
export function useCsrf(token: string): void {
  csrf = token;
}

export const csrfToken = () => csrf;

let prove: () => Promise<boolean> = () => Promise.resolve(false);
/** How whoever is signed in is asked to show once more that it is them; false when they would rather not. */
export function useProof(ask: () => Promise<boolean>): void {
  prove = ask;
}

/** The answer to a question; refused for want of a fresh proof, that is asked for, and then the same once more. */
export async function proven(answer: Response, again: () => Promise<Response>): Promise<Response> {
  return answer.status === 403 && answer.headers.has("X-Prove") && (await prove()) ? again() : answer;
}

// What is sent can be read once: kept for the case that it is asked twice.
const sent = new Map<string, Request>();
const guard: Middleware = {
  onRequest({ request, id }) {
    if (request.method !== "GET") request.headers.set("X-CSRF-Token", csrf);
    sent.set(id, request.clone());
    return request;
  },
  async onResponse({ response: first, id }) {
    const copy = sent.get(id);
    sent.delete(id);
    const response = copy ? await proven(first, () => fetch(copy)) : first;
    if (response.ok) return response;
    const body: unknown = await response
      .clone()
      .json()
      .catch(() => null);
    const detail = body && typeof body === "object" && "detail" in body ? String(body.detail) : "";
    throw new Refusal(response.status, detail || `The server answered ${response.status}. Try again in a moment.`);
  },
  onError({ id }) {
    sent.delete(id);
    return new Refusal(0, "Patient Courier can't be reached. Is it still running? What you typed is kept here.");
  },
};

export const api = createClient<paths>({ baseUrl: BASE });
api.use(guard);

/** In the head of a save: over a newer edition than this it is refused. */
export const begunFrom = (edition: string) => ({ "if-match": edition ? `"${edition}"` : undefined });
/** In the head of a save of something new: over anything that is there it is refused. */
export const ONLY_NEW = { "if-none-match": "*" };

/** The data of an answer; refusals have been thrown by then. */
export async function data<T>(answer: Promise<{ data?: T }>): Promise<T> {
  return (await answer).data as T;
}
