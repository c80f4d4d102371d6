import createClient from "openapi-fetch";

import { heard } from "./reach";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Problem = Schemas["Problem"];

/** What a signed-in person's changes carry, so that no other site can send them. */
let token: string | null = null;

export function carry(next: string | null) {
  token = next;
}

let asked = Date.now();

/** When the server was last asked for anything: a console that asks nothing is one that was left alone. */
export const lastAsked = () => asked;

const client = createClient<paths>({
  baseUrl: "",
  // Looked up at each call, so that a test can put its own in place.
  fetch: async (request) => {
    asked = Date.now();
    if (token && request.method !== "GET") request.headers.set("X-Oakbeam-Token", token);
    try {
      const answer = await globalThis.fetch(request);
      heard(true);
      return answer;
    } catch (reason) {
      if (!request.signal.aborted) heard(false);
      throw reason;
    }
  },
});

/** A refusal of the API: its problem details, or what the browser said where no answer came. */
export class Refused extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

/** An answer as it came. */
export interface Answer {
  data?: unknown;
  error?: unknown;
  response: Response;
}

/**
 * The data of an answer; throws Refused with the problem details otherwise. The caller names the type: openapi-fetch turns
 * the schema's pairs into arrays of any length.
 */
export async function unwrap<T>(answer: Promise<Answer>): Promise<T> {
  let got: Answer;
  try {
    got = await answer;
  } catch (reason) {
    if (reason instanceof DOMException && reason.name === "AbortError") throw reason;
    throw new Refused({
      type: "about:blank",
      title: "No answer",
      status: 0,
      detail: "The Oakbeam server does not answer. Nothing was saved; try again.",
    });
  }
  if (got.response.ok) return got.data as T;
  const problem = got.error as Partial<Problem> | undefined;
  throw new Refused({
    type: "about:blank",
    title: problem?.title ?? "The server failed",
    status: got.response.status,
    detail: problem?.detail ?? `The server answered ${got.response.status}. Nothing was saved.`,
    ...(problem?.allowed ? { allowed: problem.allowed } : {}),
    ...(problem?.field ? { field: problem.field } : {}),
    ...(problem?.faults ? { faults: problem.faults } : {}),
    ...(problem?.conflicts ? { conflicts: problem.conflicts } : {}),
  });
}

export default client;
