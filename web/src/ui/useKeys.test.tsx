// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";

import { useKeys } from "./useKeys";

afterEach(cleanup);

function View({ run }: { run: () => void }) {
  useKeys([{ keys: ["a"], shown: "a", does: "accept", run }]);
  return (
    <div>
      <input aria-label="note" />
      <div role="dialog">
        <button type="button">inside</button>
      </div>
    </div>
  );
}

it("a plain key counts, but not in a field, a dialog, or with Ctrl", () => {
  const run = vi.fn();
  render(<View run={run} />);
  fireEvent.keyDown(document.body, { key: "a" });
  expect(run).toHaveBeenCalledTimes(1);
  fireEvent.keyDown(screen.getByRole("textbox"), { key: "a" });
  fireEvent.keyDown(screen.getByRole("button"), { key: "a" });
  fireEvent.keyDown(document.body, { key: "a", ctrlKey: true });
  fireEvent.keyDown(document.body, { key: "b" });
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
