// @vitest-environment jsdom
import { expect, it } from "vitest";

import { person, session, start } from "../testing/clinic";
import { fireEvent, press, Problem, screen, serve, show, waitFor } from "../testing/server";
import { WorklistServer } from "./WorklistServer";

const KEEPER = start({ session: session(person("joren", "keeper")) });
const SET = { host: "10.0.0.7", port: 104, title: "WORKLIST", own_title: "OAKBEAM" };

it("is asked where it is said to be, and says whether it answers", async () => {
  let server: typeof SET | null = null;
  const asked = serve({
    "GET /api/start": KEEPER,
    "GET /api/modality-worklist": () => ({ server, procedures: 2 }),
    "PUT /api/modality-worklist": ({ body }: { body: unknown }) => {
      server = body as typeof SET;
      return { server, procedures: 2 };
    },
    "GET /api/waiting": () =>
      server?.port === 104 ? [] : new Problem(503, "The worklist server does not answer."),
  });
  show(<WorklistServer />, "/log");
  expect(await screen.findByText(/2 procedures have their exam/)).toBeDefined();
  expect(screen.getByText("No server is asked.")).toBeDefined();
  fireEvent.change(screen.getByLabelText("Name or address of the server"), { target: { value: "10.0.0.7" } });
  press("Ask there");
  expect(await screen.findByText("WORKLIST at 10.0.0.7:104 answers: 0 requests wait.")).toBeDefined();
  expect(asked.last("PUT /api/modality-worklist").body).toEqual(SET);
  fireEvent.change(screen.getByLabelText("Port"), { target: { value: "11112" } });
  fireEvent.blur(screen.getByLabelText("Port"));
  press("Ask there");
  expect((await screen.findByRole("alert")).textContent).toContain("does not answer");
  press("Ask nowhere");
  await waitFor(() =>
    expect(asked.last("PUT /api/modality-worklist").body).toEqual({ ...SET, port: 11112, host: "" }),
  );
});

it("is none of a technologist's business", () => {
  serve({ "GET /api/start": start({ session: session(person("tamsin", "technologist")) }) });
  const { container } = show(<WorklistServer />, "/log");
  expect(container.querySelector("form")).toBeNull();
});
