// @vitest-environment jsdom
import { expect, it } from "vitest";

import { person, session, start } from "../testing/clinic";
import { enter, fireEvent, press, Problem, screen, serve, show, waitFor } from "../testing/server";
import { DoseLevelsPage } from "./DoseLevels";

const level = (name: string, value: number, source: string) => ({
  projection: name,
  name,
  local: false,
  own: !source.startsWith("example"),
  level: {
    quantity: "incident_air_kerma",
    value,
    unit: "mGy",
    kg: null,
    of_whom: "the average adult",
    source,
    as_of: "",
  },
});
const choose = (text: string) =>
  fireEvent.change(document.querySelector("input[type=file]") as HTMLInputElement, {
    target: { files: [new File([text], "levels.csv")] },
  });

it("our own levels are read from a file, whole or not at all, by who may", async () => {
  let now = [level("Knee AP", 0.22, "example"), level("Chest PA", 0.15, "example")];
  let answer: unknown = new Problem(422, "Row 2 is not right.");
  const server = serve({
    "GET /api/start": start({ session: session(person("joren", "keeper")) }),
    "GET /api/dose-levels": () => now,
    "PUT /api/dose-levels": () => answer,
  });
  show(<DoseLevelsPage />);
  expect((await screen.findByText("Knee AP")).closest("tr")?.textContent).toContain("0.22 mGy");
  fireEvent.change(screen.getByLabelText("Show only"), { target: { value: "chest" } });
  expect(screen.queryByText("Knee AP")).toBeNull();
  fireEvent.change(screen.getByLabelText("Show only"), { target: { value: "" } });
  choose("projection,quantity,value\nx,y,z");
  expect((await screen.findByRole("alert")).textContent).toContain("Row 2 is not right.");
  now = [level("Knee AP", 0.3, "national survey"), level("Chest PA", 0.15, "example")];
  answer = now;
  choose("projection,quantity,value\nknee-ap,incident_air_kerma,0.3");
  await waitFor(() => expect(screen.getByText("Knee AP").closest("tr")?.textContent).toContain("0.3 mGy"));
  expect(server.last("PUT /api/dose-levels").body).toEqual({
    csv: "projection,quantity,value\nknee-ap,incident_air_kerma,0.3",
  });
  expect(screen.getByText("national survey")).toBeDefined();
});

it("one level is made ours only with where it is from, and goes back to what ships", async () => {
  let now = [level("Knee AP", 0.22, "example")];
  const server = serve({
    "GET /api/start": start({ session: session(person("ilse", "physicist")) }),
    "GET /api/dose-levels": () => now,
    "PUT /api/projections/Knee AP/dose-levels": () => now,
    "PUT /api/projections/Knee%20AP/dose-levels": () => now,
  });
  show(<DoseLevelsPage />);
  fireEvent.click(await screen.findByRole("button", { name: /^Change Knee AP, skin kerma/ }));
  enter("Level", "0.3");
  const keep = screen.getByRole<HTMLButtonElement>("button", { name: "Keep as ours" });
  expect(keep.disabled).toBe(true);
  fireEvent.change(screen.getByLabelText("Where it is from"), { target: { value: "our survey" } });
  fireEvent.change(screen.getByLabelText("As of"), { target: { value: "2026-05-01" } });
  now = [level("Knee AP", 0.3, "our survey")];
  press("Keep as ours");
  expect(await screen.findByText("our survey")).toBeDefined();
  const kept = { quantity: "incident_air_kerma", kg: null, source: "" };
  const put = () => server.asked.filter((one) => one.to.startsWith("PUT")).pop()?.body;
  expect(put()).toEqual({ ...kept, value: 0.3, source: "our survey", as_of: "2026-05-01" });
  press(/^Change Knee AP/);
  press("Back to what ships");
  await waitFor(() => expect(put()).toEqual(kept));
});

it("who may not change them only reads", async () => {
  serve({
    "GET /api/start": start({ session: session(person("tamsin", "technologist")) }),
    "GET /api/dose-levels": [],
  });
  show(<DoseLevelsPage />);
  expect(await screen.findByText("No level of such a view.")).toBeDefined();
  expect(document.querySelector("input[type=file]")).toBeNull();
});
