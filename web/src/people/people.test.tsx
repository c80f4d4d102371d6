// @vitest-environment jsdom
import { expect, it } from "vitest";

import { person, session, start } from "../testing/clinic";
import {
  button,
  enter,
  fireEvent,
  press,
  Problem,
  screen,
  serve,
  show,
  waitFor,
  where,
} from "../testing/server";
import { SignInPage } from "./SignInPage";

const IN = "POST /api/session";
const TAMSIN = person("tamsin", "technologist");
const NOOR = person("noor", "admin");
const AGREED = { another_approves: true, open_records: false, idle_minutes: 15 };

async function signIn(password = "oak") {
  await screen.findByRole("heading", { name: "Sign in" });
  fireEvent.change(screen.getByLabelText(/name/i), { target: { value: "tamsin" } });
  fireEvent.change(screen.getByLabelText(/password/i), { target: { value: password } });
  press("Sign in");
}

it("goes back to where one came from, and the password does not stay in the page", async () => {
  const server = serve({ [IN]: session(TAMSIN) });
  show(<SignInPage />, "/sign-in?back=%2Flog");
  expect((await screen.findByRole<HTMLButtonElement>("button", { name: "Sign in" })).disabled).toBe(true);
  await signIn();
  await waitFor(() => expect(where()).toBe("/log"));
  expect(server.last(IN).body).toEqual({ person: "tamsin", password: "oak" });
  expect(document.body.innerHTML).not.toContain("oak");
});

it.each(["https://elsewhere.example/", "//elsewhere.example/log", "javascript:alert(1)"])(
  "never goes to a foreign address: %s",
  async (back) => {
    serve({ [IN]: session(TAMSIN) });
    show(<SignInPage />, `/sign-in?back=${encodeURIComponent(back)}`);
    await signIn();
    await waitFor(() => expect(where()).toBe("/desk"));
  },
);

it("a wrong password says so, keeps the name and puts the cursor on the password", async () => {
  serve({ [IN]: new Problem(401, "Name or password is not right.") });
  show(<SignInPage />, "/sign-in");
  await signIn("wrong");
  expect((await screen.findByRole("alert")).textContent).toContain("not right");
  expect(screen.getByLabelText<HTMLInputElement>(/name/i).value).toBe("tamsin");
  expect(document.activeElement?.id).toBe("password");
  // On this page there is no link to this page.
  expect(screen.queryByRole("link", { name: "Sign in" })).toBeNull();
});

it("a generated password is changed before anything else, and the change is sent with the session's token", async () => {
  let now = session(null);
  const server = serve({
    "GET /api/start": () => start({ session: now }),
    "GET /api/session": () => session(null),
    [IN]: () => (now = { ...session(TAMSIN), must_change: true }),
    "PUT /api/session/password": null,
  });
  show(<SignInPage />, "/sign-in?back=%2Flog");
  await signIn("generated-one");
  await screen.findByText(/was generated/);
  expect(where()).toContain("/sign-in");
  fireEvent.change(screen.getByLabelText("The one you have"), { target: { value: "generated-one" } });
  fireEvent.change(screen.getByLabelText(/The new one/), { target: { value: "too short" } });
  expect(button(/Change it/).disabled).toBe(true);
  fireEvent.change(screen.getByLabelText(/The new one/), { target: { value: "long enough now" } });
  press(/Change it/);
  await waitFor(() => server.last("PUT /api/session/password"));
  expect(server.last("PUT /api/session/password")).toMatchObject({
    body: { old: "generated-one", new: "long enough now" },
    token: "token-of-tamsin",
  });
});

it("whom the hospital's own sign-in names goes on with one press, and as oneself there is nothing to press", async () => {
  let now = { ...session(null), by_proxy: "Tamsin" };
  const server = serve({
    "GET /api/start": () => start({ session: now }),
    "POST /api/session/by-proxy": () => (now = { ...session(TAMSIN), by_proxy: "Tamsin" }),
  });
  show(<SignInPage />, "/sign-in?back=%2Flog");
  fireEvent.click(await screen.findByRole("button", { name: "Go on as Tamsin" }));
  await waitFor(() => expect(where()).toContain("/log"));
  expect(server.last("POST /api/session/by-proxy").body).toBeNull();
  expect(screen.queryByRole("button", { name: "Go on as Tamsin" })).toBeNull();
  expect(screen.getByRole("list", { name: "Your roles" }).textContent).toContain("records exposures");
});

it("hands over: whoever is here is named, and can leave", async () => {
  const server = serve({
    "GET /api/start": start({ session: session(TAMSIN) }),
    "DELETE /api/session": session(null),
  });
  show(<SignInPage />, "/sign-in");
  await screen.findByText("Hand the console over");
  press("Sign Tamsin out");
  expect(await screen.findByRole("heading", { name: "Sign in" })).toBeDefined();
  expect(server.last("DELETE /api/session").token).toBe("token-of-tamsin");
});

function admin(more: Record<string, unknown> = {}) {
  const server = serve({
    "GET /api/start": start({ session: session(NOOR) }),
    "GET /api/people": [TAMSIN, NOOR],
    "GET /api/agreement": AGREED,
    ...more,
  });
  show(<SignInPage />, "/sign-in");
  return server;
}

it("a role is ticked on and off with all else of the person as it was", async () => {
  const server = admin({ "PUT /api/people/tamsin": TAMSIN });
  fireEvent.click(await screen.findByRole("checkbox", { name: "Tamsin: Chart keeper" }));
  await waitFor(() => server.last("PUT /api/people/tamsin"));
  expect(server.last("PUT /api/people/tamsin").body).toEqual({
    name: "Tamsin",
    roles: ["technologist", "keeper"],
    active: true,
    revision: 1,
  });
  fireEvent.click(screen.getByRole("checkbox", { name: "Tamsin: Technologist" }));
  await waitFor(() => expect(server.last("PUT /api/people/tamsin").body).toMatchObject({ roles: [] }));
  fireEvent.click(screen.getByRole("checkbox", { name: "Tamsin may sign in" }));
  await waitFor(() => expect(server.last("PUT /api/people/tamsin").body).toMatchObject({ active: false }));
});

it("a change that is refused is said, and the tick stands as the server has it", async () => {
  admin({ "PUT /api/people/noor": new Problem(409, "Somebody has to be the administrator.") });
  fireEvent.click(await screen.findByRole("checkbox", { name: "Noor: Administrator" }));
  expect((await screen.findByRole("alert")).textContent).toContain("Somebody has to be");
  expect(screen.getByRole("checkbox", { name: "Noor: Administrator" }).getAttribute("aria-checked")).toBe(
    "true",
  );
});

it("a new person has a role at least; the form stays with what was typed where it is refused", async () => {
  let answer: unknown = new Problem(422, "The password is too common.");
  const server = admin({ "POST /api/people": () => answer });
  fireEvent.click(await screen.findByRole("button", { name: "New person" }));
  fireEvent.change(screen.getByLabelText("Short name to sign in with"), { target: { value: "wren" } });
  fireEvent.change(screen.getByLabelText("Full name"), { target: { value: "Wren Aldous" } });
  fireEvent.change(screen.getByLabelText(/First password/), { target: { value: "passwordpassword" } });
  fireEvent.click(screen.getByRole("checkbox", { name: "Technologist" }));
  expect(button("Add").disabled).toBe(true);
  fireEvent.click(screen.getByRole("checkbox", { name: "Trainee" }));
  press("Add");
  expect((await screen.findByRole("alert")).textContent).toContain("too common");
  expect(screen.getByLabelText<HTMLInputElement>("Full name").value).toBe("Wren Aldous");
  answer = person("wren", "trainee");
  press("Add");
  await waitFor(() => expect(screen.queryByRole("form", { name: "New person" })).toBeNull());
  expect(server.last("POST /api/people").body).toMatchObject({
    id: "wren",
    roles: ["trainee"],
    active: true,
  });
});

it("what the department agreed on goes out whole, one thing changed", async () => {
  const server = admin({ "PUT /api/agreement": AGREED });
  fireEvent.click(await screen.findByRole("checkbox", { name: /can be read without signing in/ }));
  await waitFor(() =>
    expect(server.last("PUT /api/agreement").body).toEqual({ ...AGREED, open_records: true }),
  );
  enter("A console signs out after", "20");
  await waitFor(() =>
    expect(server.last("PUT /api/agreement").body).toEqual({ ...AGREED, idle_minutes: 20 }),
  );
});

it("what was done is read a page at a time, and a row changed by hand is told", async () => {
  const row = (id: number) => ({
    id,
    at: "2026-11-20T10:00:00Z",
    actor: "ilse",
    action: "room.save",
    subject: `room:${id}`,
    detail: { revision: id },
  });
  const pages: Record<string, ReturnType<typeof row>[]> = {
    "": Array.from({ length: 100 }, (_, i) => row(200 - i)),
    "101": [row(100)],
  };
  serve({
    "GET /api/start": start({ session: session(NOOR) }),
    "GET /api/people": [NOOR],
    "GET /api/agreement": AGREED,
    "GET /api/audit": ({ query }: { query: URLSearchParams }) => pages[query.get("before") ?? ""],
    "GET /api/ready": {
      ready: true,
      database: true,
      disk_free_mb: 900,
      why: [],
      backup_at: "2026-11-30T02:00:00+00:00",
      backup_copied_at: null,
    },
    "GET /api/audit/chain": { whole: false, fault: "Audit row 7 is not as it was written." },
    "GET /api/sign-ins": [{ at: "2026-11-20T10:00:00Z", person: "eve", address: "10.0.0.7", passed: false }],
  });
  show(<SignInPage />, "/sign-in");
  fireEvent.click(await screen.findByRole("button", { name: "What was done, and who signed in" }));
  expect(await screen.findByText("Audit row 7 is not as it was written.")).toBeDefined();
  expect((await screen.findAllByText(/^room:/)).length).toBe(100);
  press("Earlier");
  expect(await screen.findByText("room:100")).toBeDefined();
  expect(screen.queryByRole("button", { name: "Earlier" })).toBeNull();
  fireEvent.click(screen.getByRole("radio", { name: "Signing in" }));
  expect((await screen.findByText("eve")).closest("tr")?.textContent).toContain("10.0.0.7no");
});

it("sessions at other consoles are told and ended", async () => {
  const own = { began_at: "2026-11-20T08:00:00Z", used_at: "2026-11-20T10:00:00Z", this: true };
  let all = [own, { ...own, this: false, used_at: "2026-11-20T09:30:00Z" }];
  serve({
    "GET /api/start": start({ session: session(TAMSIN) }),
    "GET /api/session/all": () => all,
    "DELETE /api/session/others": () => (all = [own]),
  });
  show(<SignInPage />, "/sign-in");
  expect(await screen.findByText(/signed in at 1 other console/)).toBeDefined();
  press("Sign out there");
  await waitFor(() => expect(screen.queryByText(/other console/)).toBeNull());
});
