import { QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import type { ReactNode } from "react";
import { MemoryRouter, useLocation } from "react-router";
import { afterEach, expect } from "vitest";

import { carry } from "../api/client";
import { makeQueryClient } from "../api/queries";
import { CHARTED, lists, PROJECTIONS, ROOM, ROOM_2, start } from "./clinic";

/** One request as the server would see it. */
export interface Asked {
  to: string;
  body: unknown;
  token: string | null;
  key: string | null;
  query: URLSearchParams;
}
/** An answer, or what makes one of a request, now or later. */
type Route = unknown;

/** An answer other than 200. */
export class Problem {
  constructor(
    readonly status: number,
    readonly detail: string,
    readonly more: object = {},
  ) {}
}

/** No server: what the browser says when nothing answers. */
export const SILENCE = Symbol("silence");

/** What views look up by themselves, whatever a test is about: nothing of note. */
const LOOKED_UP: Record<string, Route> = {
  "GET /api/start": start(),
  "GET /api/lists": lists(),
  "GET /api/rooms/room-1": ROOM,
  "GET /api/rooms/room-2": ROOM_2,
  "GET /api/charted": { "room-1": CHARTED },
  "GET /api/waiting": [],
  "GET /api/agreement": { another_approves: false, open_records: false },
  "GET /api/charts/import/answers": {},
  "GET /api/session/all": [],
  "GET /api/log/filters": [],
  "GET /api/practice/lists": { projections: [], one_sided: [], of_left: [], conditions: { "": "none" } },
  ...Object.fromEntries(
    ["not_penetrated", "flat_contrast", "noisy", "motion", "cut_off", "clipped"].map((one) => [
      `GET /api/practice/looks-like/${one}`,
      [],
    ]),
  ),
  "GET /api/rooms-due": [],
  "GET /api/rooms/room-1/chart-news": { asked: false, changes: [] },
  "GET /api/charts/11/lint": [],
  "GET /api/charts/11/trust": [],
  "GET /api/charts/11/since-calibration": [],
  "GET /api/charts/11/readers": [],
  "GET /api/charts/11/target-choices": [],
  ...Object.fromEntries(PROJECTIONS.map((one) => [`GET /api/projections/${one.id}`, one])),
};

/** What was asked of a server that does not know it, in this test. */
let unknown: string[] = [];

afterEach(() => {
  cleanup();
  carry(null);
  const asked = unknown;
  unknown = [];
  expect(asked, "asked of no route").toEqual([]);
});

/**
 * A server that knows some routes, "GET /api/rooms/{x}/history" written as asked. Gives what was asked of it, in order. An
 * unknown route fails the test: nothing is answered by accident.
 */
export function serve(routes: Record<string, Route>): { asked: Asked[]; last: (to: string) => Asked } {
  const asked: Asked[] = [];
  const known: Record<string, Route> = { ...LOOKED_UP, ...routes };
  globalThis.fetch = async (asking: RequestInfo | URL) => {
    const request = asking as Request;
    const url = new URL(request.url);
    const text = await request.clone().text();
    const one: Asked = {
      to: `${request.method} ${url.pathname}`,
      body: text ? (JSON.parse(text) as unknown) : null,
      token: request.headers.get("X-Oakbeam-Token"),
      key: request.headers.get("idempotency-key"),
      query: url.searchParams,
    };
    asked.push(one);
    if (!(one.to in known)) {
      unknown.push(one.to);
      return new Response("{}", { status: 404 });
    }
    const route = known[one.to];
    const reply = typeof route === "function" ? await (route as (asked: Asked) => unknown)(one) : route;
    if (reply === SILENCE) throw new TypeError("fetch failed");
    const json = { "content-type": "application/json" };
    if (reply instanceof Problem) {
      const { status, detail, more } = reply;
      return new Response(
        JSON.stringify({ type: "about:blank", title: "Refused", status, detail, ...more }),
        {
          status,
          headers: json,
        },
      );
    }
    return new Response(JSON.stringify(reply), { status: 200, headers: json });
  };
  return {
    asked,
    last: (to) => {
      const found = asked.filter((one) => one.to === to).pop();
      if (!found)
        throw new Error(`${to} was never asked; asked were ${asked.map((one) => one.to).join(", ")}`);
      return found;
    },
  };
}

function Where() {
  const { pathname, search } = useLocation();
  return <p data-testid="where">{pathname + search}</p>;
}

/** A part of the interface within what it lives in: its queries, which are given back, and an address. */
export function show(part: ReactNode, at = "/desk") {
  const queries = makeQueryClient();
  queries.setDefaultOptions({ queries: { ...queries.getDefaultOptions().queries, retryDelay: 1 } });
  const shown = render(
    <QueryClientProvider client={queries}>
      <MemoryRouter initialEntries={[at]}>
        {part}
        <Where />
      </MemoryRouter>
    </QueryClientProvider>,
  );
  return { ...shown, queries };
}

export const where = () => screen.getByTestId("where").textContent;

/** Type into a field and leave it. */
export function enter(label: string | RegExp, text: string) {
  const field = screen.getByLabelText(label);
  fireEvent.change(field, { target: { value: text } });
  fireEvent.blur(field);
}

export const press = (name: string | RegExp) => fireEvent.click(screen.getByRole("button", { name }));

export const button = (name: string | RegExp) => screen.getByRole<HTMLButtonElement>("button", { name });

/** Pick from one of our lists. */
export async function pick(list: string | RegExp, option: string | RegExp) {
  fireEvent.keyDown(screen.getByRole("combobox", { name: list }), { key: "Enter" });
  fireEvent.keyDown(await screen.findByRole("option", { name: option }), { key: "Enter" });
}

/** A promise to be kept by the test: an answer that is slow. */
export function slow<T>(): { answer: Promise<T>; arrive: (value: T) => Promise<void> } {
  let keep: (value: T) => void = () => undefined;
  const answer = new Promise<T>((done) => (keep = done));
  return {
    answer,
    arrive: async (value) => {
      await act(async () => {
        keep(value);
        await answer;
      });
    },
  };
}

export { fireEvent, screen, waitFor, within };
