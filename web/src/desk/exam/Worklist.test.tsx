// @vitest-environment jsdom
import { expect, it, vi } from "vitest";

import type { Exam } from "../../api/queries";
import { lists, person, session, start } from "../../testing/clinic";
import { fireEvent, pick, Problem, screen, serve, show, waitFor } from "../../testing/server";
import { Worklist } from "./Worklist";

const EXAMS = lists().exams;
const [FIRST] = EXAMS as [Exam];
const waiting = (more: object) => ({
  study_key: "k1",
  exam: "",
  question: "",
  side: "",
  digit: "",
  age_band: "",
  sex: "",
  weight_kg: null,
  height_cm: null,
  cast: "",
  arrives: "",
  scheduled_at: "2026-11-27T08:15:00+00:00",
  procedure: "",
  words: "",
  ...more,
});
const AS = (role: "technologist" | "trainee") => start({ session: session(person("tamsin", role)) });

it("a procedure without an exam is asked about once, and then stands as that exam", async () => {
  let exam = "";
  const server = serve({
    "GET /api/start": AS("technologist"),
    "GET /api/waiting": () => [waiting({ procedure: "p1234567", words: "lumbar spine", exam })],
    "POST /api/modality-worklist/exams": ({ body }: { body: unknown }) => {
      exam = (body as { exam: string }).exam;
      return { server: null, procedures: 1 };
    },
  });
  const act = vi.fn();
  show(<Worklist exams={EXAMS} act={act} />, "/");
  expect(await screen.findByText(/lumbar spine/)).toBeDefined();
  expect(screen.getByText(/which exam is that\?/)).toBeDefined();
  await pick(/^Exam of this procedure/, FIRST.name);
  await waitFor(() => expect(screen.queryByText(/which exam is that/)).toBeNull());
  expect(server.last("POST /api/modality-worklist/exams").body).toEqual({
    procedure: "p1234567",
    exam: FIRST.id,
  });
  fireEvent.click(await screen.findByRole("button", { name: new RegExp(FIRST.name) }));
  expect(act).toHaveBeenCalledWith(expect.objectContaining({ do: "exam", exam: FIRST }));
});

it("a trainee is not asked which exam it is, and no one waiting is said", async () => {
  serve({
    "GET /api/start": AS("trainee"),
    "GET /api/waiting": [waiting({ procedure: "p1234567", words: "chest" })],
  });
  show(<Worklist exams={EXAMS} act={vi.fn()} />, "/");
  expect(await screen.findByText(/which exam is that/)).toBeDefined();
  expect(screen.queryByRole("combobox")).toBeNull();
});

it("a worklist that is silent is said, and typing stays the way", async () => {
  serve({ "GET /api/waiting": new Problem(503, "It does not answer. Choose the exam by typing its name.") });
  show(<Worklist exams={EXAMS} act={vi.fn()} />, "/");
  expect((await screen.findByRole("alert")).textContent).toContain("typing its name");
  expect(screen.getByText(/Or type: chest/)).toBeDefined();
});
