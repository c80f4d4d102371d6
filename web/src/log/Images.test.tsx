// @vitest-environment jsdom
import { expect, it } from "vitest";

import { person, session, start } from "../testing/clinic";
import { fireEvent, press, Problem, screen, serve, show } from "../testing/server";
import { Images } from "./Images";

const TAKEN = { read: 3, added: 3, merged: 0, waiting: 0, known: 0, refused: [] };
const goesOn = (done: number, of: number) =>
  new Problem(202, "", { id: "abc", state: "working", seconds: 11, done, of });
const ROUTES = {
  "GET /api/start": start({ session: session(person("joren", "keeper")) }),
  "GET /api/log/images/waiting": { objects: 0, heaps: [], machines: {}, views: {} },
  "GET /api/log/images/refused": [],
  "GET /api/modality-worklist": { server: null, procedures: 0 },
};

const choose = async () => {
  const files = [new File(["DICM"], "a.dcm")];
  fireEvent.change(await screen.findByLabelText("Choose files"), { target: { files } });
};

it("shows how far long work is, and its answer once it is there", async () => {
  const looks = [goesOn(40, 120), TAKEN];
  const asked = serve({
    ...ROUTES,
    "POST /api/log/images": goesOn(0, 0),
    "GET /api/jobs/abc": () => looks.shift(),
  });
  show(<Images />, "/log");
  await choose();
  expect(await screen.findByText(/waiting for its turn/)).toBeDefined();
  expect(await screen.findByText(/here 40 of 120 images/, {}, { timeout: 4000 })).toBeDefined();
  expect(await screen.findByText("3 read:", {}, { timeout: 4000 })).toBeDefined();
  expect(asked.asked.filter((one) => one.to === "POST /api/log/images")).toHaveLength(1);
});

it("stops where it is told to, and says what that means", async () => {
  let off = false;
  serve({
    ...ROUTES,
    "POST /api/log/images": goesOn(10, 120),
    "GET /api/jobs/abc": () => (off ? new Problem(404, "There is no such piece of work.") : goesOn(20, 120)),
    "DELETE /api/jobs/abc": () => {
      off = true;
      return {};
    },
  });
  show(<Images />, "/log");
  await choose();
  await screen.findByText(/here 10 of 120/);
  press("Stop here");
  expect(await screen.findByText(/What was taken in by then stays/, {}, { timeout: 4000 })).toBeDefined();
});
