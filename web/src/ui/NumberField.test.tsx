// @vitest-environment jsdom
import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, expect, it, vi } from "vitest";

import { NumberField } from "./NumberField";

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
const rest = () => act(() => vi.advanceTimersByTime(300));

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

it("a letter leaves the field, its number goes out, and the key reaches the view", () => {
  const { onChange, type, input } = field();
  const pressed = vi.fn();
  document.body.addEventListener("keydown", (event) => pressed(event.key));
  input.focus();
  type("26");
  fireEvent.keyDown(input, { key: "a" });
  act(() => vi.runAllTimers());
  expect(onChange).toHaveBeenCalledWith(26);
  expect(document.activeElement).not.toBe(input);
  expect(pressed).toHaveBeenLastCalledWith("a");
});
