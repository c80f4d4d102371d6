// @vitest-environment jsdom
import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, expect, it, vi } from "vitest";

import { NumberField } from "./NumberField";
import { Pending } from "./pending";

beforeEach(() => vi.useFakeTimers());
afterEach(() => {
  cleanup();
  vi.useRealTimers();
});

function field(more = {}) {
  const onChange = vi.fn();
  render(<NumberField id="n" label="Thickness" value={24} onChange={onChange} {...more} />);
  const input = screen.getByRole("textbox");
  return { onChange, input, type: (value: string) => fireEvent.change(input, { target: { value } }) };
}
const rest = () => act(() => void vi.advanceTimersByTime(300));

it("sends what was typed once the typing rests, and once only", () => {
  const { onChange, type, input } = field();
  type("2");
  type("25");
  expect(onChange).not.toHaveBeenCalled();
  rest();
  fireEvent.blur(input);
  expect(onChange.mock.calls.map((call) => call[0] as number)).toEqual([25, 25]);
});

it("keeps what is no number to itself and says so", () => {
  const { onChange, type, input } = field();
  type("12a");
  rest();
  expect(onChange).not.toHaveBeenCalled();
  expect(input.getAttribute("aria-invalid")).toBe("true");
  type("");
  rest();
  expect(onChange).toHaveBeenLastCalledWith(null);
});

it("holds the start of a longer number back until the field is left", () => {
  const { onChange, type, input } = field({ unfinished: (value: number) => value < 5 });
  type("2");
  rest();
  expect(onChange).not.toHaveBeenCalled();
  fireEvent.blur(input);
  expect(onChange).toHaveBeenCalledWith(2);
});

it("no key pressed in a field reaches the view, and what cannot be read stays with what can be typed said", () => {
  const { onChange, type, input } = field({ unit: "cm" });
  const pressed = vi.fn();
  window.addEventListener("keydown", (event) => void (event.target === document.body && pressed(event.key)));
  input.focus();
  type("26a");
  fireEvent.keyDown(input, { key: "a" });
  rest();
  fireEvent.blur(input);
  expect(onChange).not.toHaveBeenCalled();
  expect(pressed).not.toHaveBeenCalled();
  expect((input as HTMLInputElement).value).toBe("26a");
  expect(screen.getByText(/Type a length, as 24.5, 24 cm or 9 1\/2"/)).toBeDefined();
});

it("Escape takes back what was typed", () => {
  const { onChange, type, input } = field();
  input.focus();
  type("30");
  fireEvent.keyDown(input, { key: "Escape" });
  act(() => void vi.runAllTimers());
  expect(onChange).not.toHaveBeenCalled();
  expect((input as HTMLInputElement).value).toBe("24");
});

it("a length may bring its own unit, an angle its direction where there is one", () => {
  const inches = field({ unit: "in" });
  inches.type("24 cm");
  rest();
  expect(inches.onChange.mock.lastCall?.[0]).toBeCloseTo(24 / 2.54, 9);
  cleanup();
  const angle = field({ unit: "°", signed: true });
  angle.type("10 caudal");
  rest();
  expect(angle.onChange).toHaveBeenLastCalledWith(-10);
  cleanup();
  const plain = field({ unit: "°" });
  plain.type("-10");
  rest();
  expect(plain.onChange).not.toHaveBeenCalled();
});

it("tells the view while what was typed is not in force", () => {
  const tell = vi.fn();
  const { rerender } = render(
    <Pending.Provider value={tell}>
      <NumberField id="n" label="Thickness" value={24} onChange={vi.fn()} />
    </Pending.Provider>,
  );
  fireEvent.change(screen.getByRole("textbox"), { target: { value: "25" } });
  expect(tell).toHaveBeenLastCalledWith("n", true);
  rerender(
    <Pending.Provider value={tell}>
      <NumberField id="n" label="Thickness" value={25} onChange={vi.fn()} />
    </Pending.Provider>,
  );
  expect(tell).toHaveBeenLastCalledWith("n", false);
  // Of an empty field too: what cannot be read is not nothing.
  rerender(
    <Pending.Provider value={tell}>
      <NumberField id="n" label="Thickness" value={null} onChange={vi.fn()} />
    </Pending.Provider>,
  );
  fireEvent.change(screen.getByRole("textbox"), { target: { value: "24a" } });
  expect(tell).toHaveBeenLastCalledWith("n", true);
});
