// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";

import { Select } from "./Select";

afterEach(cleanup);

const menu = (names: string[], onChange: (value: string) => void) => (
  <Select
    label="Angle by"
    value={names[0] ?? ""}
    options={names.map((name) => ({ value: name, label: name }))}
    onChange={onChange}
  />
);

it("keeps the options that it opened with until it closes, and has new ones below", () => {
  const onChange = vi.fn();
  const { rerender } = render(menu(["pelvis", "zero"], onChange));
  fireEvent.keyDown(screen.getByRole("combobox"), { key: "Enter" });
  const zero = screen.getByRole("option", { name: "zero" });
  // An answer arrives with other choices while the menu is open.
  rerender(menu(["pelvis", "sex"], onChange));
  expect(screen.getByRole("option", { name: "zero" })).toBe(zero);
  expect(screen.getAllByRole("option").map((one) => one.textContent)).toEqual(["•pelvis", "zero", "sex"]);
  fireEvent.keyDown(zero, { key: "Enter" });
  expect(onChange).toHaveBeenCalledWith("zero");
  fireEvent.keyDown(screen.getByRole("combobox"), { key: "Enter" });
  expect(screen.queryByRole("option", { name: "zero" })).toBeNull();
  expect(screen.getByRole("option", { name: "sex" })).toBeDefined();
});
