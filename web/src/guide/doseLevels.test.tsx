// @vitest-environment jsdom
import { expect, it } from "vitest";

import { person, session, start } from "../testing/clinic";
import { fireEvent, Problem, screen, serve, show, waitFor } from "../testing/server";
import { DoseLevelsPage } from "./DoseLevels";

const level = (name: string, value: number, source: string) => ({
  projection: name,
  name,
  local: false,
  level: {
    quantity: "incident_air_kerma",
    value,
    unit: "mGy",
    kg: null,
    of_whom: "the average adult",
    source,
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

it("who may not change them only reads", async () => {
  serve({
    "GET /api/start": start({ session: session(person("tamsin", "technologist")) }),
    "GET /api/dose-levels": [],
  });
  show(<DoseLevelsPage />);
  expect(await screen.findByText("No level of such a view.")).toBeDefined();
  expect(document.querySelector("input[type=file]")).toBeNull();
});
