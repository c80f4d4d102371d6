// @vitest-environment jsdom
import { beforeEach, expect, it, vi } from "vitest";

import type { GlossaryTerm } from "../api/queries";
import { fireEvent, screen, serve, show, waitFor } from "../testing/server";
import { Term } from "../ui/Term";
import { Explainer, lookUp } from "./Explainer";

const term = (name: string, ...also: string[]): GlossaryTerm => ({
  term: name,
  whole: "",
  says: `What ${name} is.`,
  also,
  instead_of: [],
});
const TERMS = [term("DI"), term("SID", "FFD"), term("mAs rule", "mAs doubles every")];

it.each([
  ["sid", "SID"],
  ["SID (measured)", "SID"],
  ["ffd, cm", "SID"],
  ["mAs doubles every (cm)", "mAs rule"],
])("%s is %s", (words, found) => expect(lookUp(TERMS, words)?.term).toBe(found));

it.each(["", "Name", "(cm)"])("“%s” is no term", (words) => expect(lookUp(TERMS, words)).toBeUndefined());

const onAllWords = vi.fn();

beforeEach(() => {
  serve({ "GET /api/glossary": TERMS });
  show(
    <>
      <label htmlFor="sid">SID (measured)</label>
      <input id="sid" />
      <label htmlFor="name">Name</label>
      <input id="name" />
      <Term>DI</Term>
      <table>
        <thead>
          <tr>
            <th>SID, cm</th>
            <th>mAs</th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <td>
              <input aria-label="First" />
            </td>
          </tr>
        </tbody>
      </table>
      <button>Elsewhere</button>
      <Explainer onAllWords={onAllWords} />
    </>,
  );
});
const said = () => screen.queryByRole("tooltip")?.textContent;

it("a label that is pointed at is explained, until something else is", async () => {
  fireEvent.pointerOver(screen.getByText("SID (measured)"));
  await waitFor(() => expect(said()).toBe("SID. What SID is."));
  // The pointer may go onto the explanation to read it.
  fireEvent.pointerOver(screen.getByRole("tooltip"));
  expect(said()).toBe("SID. What SID is.");
  fireEvent.pointerOver(document.body);
  expect(said()).toBeUndefined();
});

it("F1 explains the field that has the cursor, Escape takes it off, and a word that is no term is not explained", async () => {
  screen.getByLabelText("SID (measured)").focus();
  expect(said()).toBeUndefined();
  fireEvent.keyDown(document.activeElement ?? document.body, { key: "F1" });
  await waitFor(() => expect(said()).toBe("SID. What SID is."));
  fireEvent.keyDown(document.body, { key: "Escape" });
  expect(said()).toBeUndefined();
  screen.getByLabelText("Name").focus();
  fireEvent.keyDown(document.activeElement ?? document.body, { key: "F1" });
  await new Promise((done) => setTimeout(done, 50));
  expect(said()).toBeUndefined();
});

it("a marked word is explained while it has the focus of the keyboard", async () => {
  screen.getByText("DI").focus();
  await waitFor(() => expect(said()).toBe("DI. What DI is."));
  screen.getByLabelText("Name").focus();
  await waitFor(() => expect(said()).toBeUndefined());
});

it("F1 in a cell explains its column, and where nothing has a name it shows all words", async () => {
  screen.getByLabelText("First").focus();
  fireEvent.keyDown(document.activeElement ?? document.body, { key: "F1" });
  await waitFor(() => expect(said()).toBe("SID. What SID is."));
  expect(onAllWords).not.toHaveBeenCalled();
  screen.getByText("Elsewhere").focus();
  fireEvent.keyDown(document.activeElement ?? document.body, { key: "F1" });
  expect(onAllWords).toHaveBeenCalledOnce();
});
