// @vitest-environment jsdom
import { beforeEach, expect, it, vi } from "vitest";

import type { Hit } from "../api/queries";
import { useRecord, useSession } from "../api/queries";
import { Finder } from "../ui/Finder";
import { prefer } from "../ui/preferences";
import { person, session, start } from "../testing/clinic";
import { fireEvent, Problem, screen, serve, show, SILENCE, slow, waitFor, where } from "../testing/server";
import { App } from "./App";

beforeEach(() => {
  prefer({ room: null, unit: "cm", theme: "night" });
});
const key = (pressed: string, more: object = {}) =>
  fireEvent.keyDown(document.body, { key: pressed, ...more });

it("keys go to the views, and to signing in with the way back", async () => {
  serve({ "GET /api/exposures": [], "GET /api/exposures/trend": { points: [], count: 0 } });
  show(<App />, "/log");
  await screen.findByRole("combobox", { name: "Room: Room 1" });
  key("R");
  await waitFor(() => expect(where()).toBe("/rooms"));
  key("P");
  await waitFor(() => expect(where()).toBe("/sign-in?back=%2Frooms"));
});

it("unit and theme change for the whole application and outlive it", async () => {
  serve({ "GET /api/exposures": [], "GET /api/exposures/trend": { points: [], count: 0 } });
  show(<App />, "/log");
  fireEvent.click(await screen.findByRole("button", { name: "Lengths in cm; switch to in" }));
  fireEvent.click(screen.getByRole("button", { name: "Switch to the day theme" }));
  expect(document.documentElement.dataset.theme).toBe("day");
  expect(JSON.parse(localStorage.getItem("oakbeam.preferences") ?? "{}")).toMatchObject({
    unit: "in",
    theme: "day",
  });
});

it("an empty server, a silent one and an address that is none each say what it is", async () => {
  serve({ "GET /api/start": start({ rooms: [] }) });
  const { unmount } = show(<App />);
  expect(await screen.findByText("No room yet")).toBeDefined();
  unmount();
  serve({});
  show(<App />, "/nowhere").unmount();
  serve({});
  const nowhere = show(<App />, "/nowhere");
  expect(await screen.findByText("There is no such page")).toBeDefined();
  nowhere.unmount();
  serve({ "GET /api/start": SILENCE });
  show(<App />);
  expect((await screen.findByRole("alert")).textContent).toContain("does not answer");
});

it("who is here is asked again after a refusal for want of a name, so that nobody seems signed in who is not", async () => {
  let now = session(person("tamsin", "technologist"));
  const server = serve({
    "GET /api/start": () => start({ session: now }),
    "POST /api/exposures": () => {
      now = session(null);
      return new Problem(401, "Sign in.");
    },
  });
  function Probe() {
    const name = useSession().data?.person?.name ?? "nobody";
    const record = useRecord();
    return <button onClick={() => record.mutate({} as never)}>{name}</button>;
  }
  show(<Probe />);
  fireEvent.click(await screen.findByRole("button", { name: "Tamsin" }));
  expect(await screen.findByRole("button", { name: "nobody" })).toBeDefined();
  expect(server.asked.map((one) => one.to)).toEqual([
    "GET /api/start",
    "POST /api/exposures",
    "GET /api/start",
  ]);
  expect(server.last("POST /api/exposures").token).toBe("token-of-tamsin");
});

it("a console left alone asks who is here once the session must have ended, and not before", async () => {
  vi.useFakeTimers({ toFake: ["setInterval", "clearInterval", "Date"] });
  try {
    const server = serve({
      "GET /api/start": start({ session: { ...session(person("tamsin")), idle_minutes: 15 } }),
      "GET /api/exposures": [],
      "GET /api/exposures/trend": { points: [], count: 0 },
    });
    show(<App />, "/log?part=list");
    await screen.findByText("Tamsin");
    const starts = () => server.asked.filter((one) => one.to === "GET /api/start").length;
    vi.advanceTimersByTime(14 * 60_000);
    expect(starts()).toBe(1);
    vi.advanceTimersByTime(2 * 60_000);
    await waitFor(() => expect(starts()).toBe(2));
  } finally {
    vi.useRealTimers();
  }
});

it("an answer from before somebody signed in comes too late to sign them out", async () => {
  const late = slow<unknown>();
  let asked = 0;
  const server = serve({
    "GET /api/start": () => (asked++ === 0 ? start() : late.answer),
    "POST /api/session": ({ body }: { body: unknown }) =>
      (body as { password: string }).password === "right"
        ? session(person("tamsin", "technologist"))
        : new Problem(401, "Name and password do not belong together."),
    "DELETE /api/session": session(null),
  });
  show(<App />, "/sign-in");
  const type = (label: string, text: string) =>
    fireEvent.change(screen.getByLabelText(label), { target: { value: text } });
  await screen.findByLabelText("Password");
  type("Name", "tamsin");
  type("Password", "wrong");
  // The refusal makes the page ask who is here; before that is answered, the right password is.
  fireEvent.click(screen.getByRole("button", { name: "Sign in" }));
  await screen.findByText(/do not belong together/);
  await waitFor(() => expect(asked).toBe(2));
  type("Password", "right");
  fireEvent.click(screen.getByRole("button", { name: "Sign in" }));
  await screen.findByRole("link", { name: /Tamsin is signed in/ });
  await late.arrive(start());
  expect(screen.getByRole("link", { name: /Tamsin is signed in/ })).toBeDefined();
  fireEvent.click(screen.getByRole("link", { name: /Tamsin is signed in/ }));
  fireEvent.click(await screen.findByRole("button", { name: "Sign Tamsin out" }));
  await waitFor(() => expect(server.last("DELETE /api/session").token).toBe("token-of-tamsin"));
});

// --- finding an exam or a view

const hit = (id: string, kind: Hit["kind"] = "projection"): Hit => ({
  kind,
  id,
  title: `Title of ${id}`,
  score: 1,
});

function finder(answer: unknown, only?: Hit["kind"]) {
  const server = serve({ "GET /api/search": answer });
  const onPick = vi.fn();
  show(<Finder id="x" label="Exam or view" shown="Chest" onPick={onPick} {...(only ? { only } : {})} />);
  const field = screen.getByRole<HTMLInputElement>("combobox", { name: "Exam or view" });
  fireEvent.focus(field);
  const type = (text: string) => fireEvent.change(field, { target: { value: text } });
  return { server, onPick, field, type };
}

it("Enter takes what the words as they stand find, never a hit of a letter before", async () => {
  const { answer: late, arrive } = slow<Hit[]>();
  const { onPick, field, type } = finder(({ query }: { query: URLSearchParams }) =>
    query.get("q") === "to" ? [hit("toe")] : late,
  );
  type("to");
  await screen.findByRole("option");
  type("tow");
  fireEvent.keyDown(field, { key: "Enter" });
  expect(onPick).not.toHaveBeenCalled();
  await arrive([hit("towne")]);
  await waitFor(() => expect(onPick).toHaveBeenCalledWith(hit("towne")));
});

it("arrows mark, Enter takes the marked one, and the field is left with nothing typed", async () => {
  const { onPick, field, type } = finder([hit("a", "exam"), hit("b"), hit("c")]);
  type("knee");
  await screen.findAllByRole("option");
  for (const pressed of ["ArrowDown", "ArrowDown", "ArrowDown", "ArrowUp"])
    fireEvent.keyDown(field, { key: pressed });
  expect(field.getAttribute("aria-activedescendant")).toBe("x-list-1");
  fireEvent.keyDown(field, { key: "Enter" });
  expect(onPick).toHaveBeenCalledExactlyOnceWith(hit("b"));
  expect(field.value).toBe("Chest");
});

it("only what is wanted is offered, Escape takes nothing, nothing like it is said", async () => {
  const { onPick, field, type } = finder([hit("a", "exam"), hit("b")], "projection");
  type("knee");
  expect(await screen.findAllByRole("option")).toHaveLength(1);
  fireEvent.keyDown(field, { key: "Escape" });
  expect(screen.queryByRole("listbox")).toBeNull();
  expect(onPick).not.toHaveBeenCalled();
  serve({ "GET /api/search": [] });
  fireEvent.focus(field);
  type("zzz");
  expect(await screen.findByText("Nothing like “zzz”. Try the part of the body.")).toBeDefined();
});

it("Enter before the hits are there waits for them, and takes once", async () => {
  const late = slow<Hit[]>();
  const { onPick, field, type } = finder(() => late.answer);
  type("kn");
  fireEvent.keyDown(field, { key: "Enter" });
  expect(onPick).not.toHaveBeenCalled();
  await late.arrive([hit("b")]);
  // Picked as soon as they are there: the list may never be seen.
  await waitFor(() => expect(onPick).toHaveBeenCalledExactlyOnceWith(hit("b")));
  await waitFor(() => expect(screen.queryByRole("listbox")).toBeNull());
});
