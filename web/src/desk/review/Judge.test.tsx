// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { afterEach, beforeEach, expect, it, vi } from "vitest";

import type { Choices, Projection, Room, TechniqueRequest, TechniqueResponse } from "../../api/queries";
import { Judge } from "./Judge";

const api = vi.hoisted(() => ({ record: vi.fn(), undo: vi.fn(), judge: vi.fn(), last: vi.fn() }));
vi.mock("../../api/queries", () => {
  const idle = { isPending: false, isError: false, isSuccess: false, reset: () => undefined };
  return {
    useRecord: () => ({ ...idle, mutate: api.record }),
    useUndo: () => ({ ...idle, mutate: api.undo }),
    useReadOut: () => ({ ...idle, mutate: vi.fn() }),
    useExposures: () => ({ data: api.last() as unknown }),
    useJudgement: (asked: unknown) => ({ ...idle, data: api.judge(asked) as unknown }),
  };
});
beforeEach(() => vi.resetAllMocks());
afterEach(cleanup);

const ANSWER = {
  technique: { receptor: "panel", kvp: 80, mas: 40, exposure_control: "manual" },
  forecast: { target_ei: 300 },
} as unknown as TechniqueResponse;
const CHOICES = {
  questions: [["Is it sharp?", ["motion"]]],
  findings: { motion: "Motion" },
  reject_reasons: { motion: "Patient moved" },
} as unknown as Choices;

function judge(more: { answer?: TechniqueResponse | undefined; measured?: boolean; kind?: string } = {}) {
  const room = { id: "room-1", receptors: [{ id: "panel", kind: more.kind ?? "dr_csi" }] } as unknown as Room;
  const onNext = vi.fn();
  render(
    <MemoryRouter>
      <Judge
        room={room}
        projection={{ id: "knee-ap" } as Projection}
        projections={[]}
        request={{ room: "room-1", projection: "knee-ap" } as TechniqueRequest}
        answer={"answer" in more ? more.answer : ANSWER}
        choices={CHOICES}
        measured={more.measured ?? true}
        study="S-1"
        onDone={vi.fn()}
        onNext={onNext}
      />
    </MemoryRouter>,
  );
  return { onNext, press: (key: string) => fireEvent.keyDown(document.body, { key }) };
}
const enter = (name: string, value: string) => {
  const field = screen.getByRole("textbox", { name });
  fireEvent.change(field, { target: { value } });
  fireEvent.blur(field);
};
const recorded = () => api.record.mock.lastCall?.[0] as Record<string, unknown>;

it.each([
  ["no technique", { answer: undefined }, "No technique to record."],
  ["nothing measured", { measured: false }, "Measure the thickness first."],
])("with %s nothing can be recorded, by button or key, and it says why", (_, more, why) => {
  const { press } = judge(more);
  expect(screen.getByText(why)).toBeDefined();
  expect(screen.getByRole<HTMLButtonElement>("button", { name: /Accept/ }).disabled).toBe(true);
  press("a");
  press("j");
  expect(api.record).not.toHaveBeenCalled();
  expect(screen.queryByRole("combobox", { name: /Why rejected/ })).toBeNull();
});

it("records what was really set, the index and what was seen", () => {
  const { press } = judge();
  enter("kVp", "82");
  enter("Index (EI)", "420");
  fireEvent.click(screen.getByRole("button", { name: "Motion" }));
  press("a");
  expect(recorded()).toMatchObject({
    kvp: 82,
    mas: 40,
    ei: 420,
    outcome: "accepted",
    findings: ["motion"],
    study_key: "S-1",
  });
  expect(recorded()).not.toHaveProperty("reject_reason");
  expect(api.judge).toHaveBeenLastCalledWith(
    expect.objectContaining({ kvp: 82, mas: 40, ei: 420, target_ei: 300 }),
  );
});

it("a film is judged by its density", () => {
  const { press } = judge({ kind: "film_screen" });
  enter("Density", "1.35");
  press("a");
  expect(recorded()).toMatchObject({ optical_density: 1.35 });
  expect(recorded()).not.toHaveProperty("ei");
});

it("a reject wants its reason before anything is kept", () => {
  const { press } = judge();
  press("j");
  expect(api.record).not.toHaveBeenCalled();
  expect(screen.getByRole("combobox", { name: /Why rejected/ })).toBeDefined();
});

it("takes back the last record of the room only where there is one", () => {
  const { press } = judge();
  press("u");
  expect(api.undo).not.toHaveBeenCalled();
  cleanup();
  api.last.mockReturnValue([
    { id: 7, projection: "knee-ap", di: 0.2, outcome: "accepted", taken_at: "2026-11-20T10:00:00Z" },
  ]);
  judge().press("u");
  expect(api.undo.mock.lastCall?.[0]).toBe(7);
});
