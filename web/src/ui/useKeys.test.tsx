// @vitest-environment jsdom
import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";

import { prefer } from "./preferences";
import { useKeys } from "./useKeys";

afterEach(() => {
  cleanup();
  prefer({ keys: "plain" });
});

function View({ run }: { run: () => void }) {
  useKeys([{ keys: ["a"], shown: "a", does: "accept", run }]);
  return (
    <div>
      <input aria-label="note" />
      <div role="dialog">
        <button type="button">inside</button>
      </div>
      <div role="combobox" aria-expanded="true" aria-controls="reasons" tabIndex={0} />
    </div>
  );
}

it("a plain key counts, but not in a field, a dialog, an opening list, or with Ctrl", () => {
  const run = vi.fn();
  render(<View run={run} />);
  fireEvent.keyDown(document.body, { key: "a" });
  expect(run).toHaveBeenCalledTimes(1);
  fireEvent.keyDown(screen.getByRole("textbox"), { key: "a" });
  fireEvent.keyDown(screen.getByRole("button"), { key: "a" });
  fireEvent.keyDown(screen.getByRole("combobox"), { key: "a" });
  fireEvent.keyDown(document.body, { key: "a", ctrlKey: true });
  fireEvent.keyDown(document.body, { key: "b" });
  expect(run).toHaveBeenCalledTimes(1);
});

it("a key that is held down counts once", () => {
  const run = vi.fn();
  render(<View run={run} />);
  fireEvent.keyDown(document.body, { key: "a" });
  for (let i = 0; i < 9; i++) fireEvent.keyDown(document.body, { key: "a", repeat: true });
  expect(run).toHaveBeenCalledTimes(1);
});

it("single keys can be given Alt or be switched off", () => {
  const run = vi.fn();
  prefer({ keys: "alt" });
  render(<View run={run} />);
  fireEvent.keyDown(document.body, { key: "a" });
  expect(run).not.toHaveBeenCalled();
  // Alt makes another letter of it on some keyboards; the key is the same.
  fireEvent.keyDown(document.body, { key: "å", code: "KeyA", altKey: true });
  expect(run).toHaveBeenCalledTimes(1);
  act(() => prefer({ keys: "off" }));
  fireEvent.keyDown(document.body, { key: "a" });
  fireEvent.keyDown(document.body, { key: "a", code: "KeyA", altKey: true });
  expect(run).toHaveBeenCalledTimes(1);
});

it("runs what the view means now, and nothing once it is gone", () => {
  const [first, second] = [vi.fn(), vi.fn()];
  const { rerender, unmount } = render(<View run={first} />);
  rerender(<View run={second} />);
  fireEvent.keyDown(document.body, { key: "a" });
  unmount();
  fireEvent.keyDown(document.body, { key: "a" });
  expect([first.mock.calls.length, second.mock.calls.length]).toEqual([0, 1]);
});
