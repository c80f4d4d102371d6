// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";

import type { Projection } from "../api/queries";
import type { Unit } from "./units";
import { ThicknessRuler } from "./ThicknessRuler";

afterEach(cleanup);

const PART = {
  usual_range_cm: [13, 36],
  thickness_cm: { small: 16, average: 21, large: 30 },
} as unknown as Projection;

function ruler(value: number | null, unit: Unit = "cm") {
  const onChange = vi.fn();
  render(
    <ThicknessRuler
      projection={PART}
      range={[13, 36]}
      unit={unit}
      value={value}
      estimate={21}
      onChange={onChange}
      refused={false}
    />,
  );
  const slider = screen.getByRole("slider");
  const press = (key: string, shiftKey = false) => {
    fireEvent.keyDown(slider, { key, shiftKey });
    return onChange.mock.lastCall?.[0] as number;
  };
  return { slider, press, onChange };
}

it("moves by half a centimetre, by two with Shift, and to the ends of the chart's range", () => {
  const { press } = ruler(24);
  expect([press("ArrowRight"), press("ArrowLeft"), press("ArrowUp", true), press("PageDown")]).toEqual([
    24.5, 23.5, 26, 22,
  ]);
  expect([press("Home"), press("End")]).toEqual([13, 36]);
});

it("moves by quarters of an inch where inches are shown", () => {
  const { press } = ruler(25.4, "in");
  expect(press("ArrowRight")).toBeCloseTo(10.25 * 2.54);
});

it("says that nothing was measured, and a key is then a reading", () => {
  const { slider, press } = ruler(null);
  expect(slider.getAttribute("aria-valuetext")).toBe("not measured, taken as 21 cm");
  expect(press("ArrowRight")).toBe(21.5);
});

it("a wheel turns it and the page stays", () => {
  const { slider, onChange } = ruler(24);
  const event = new WheelEvent("wheel", { deltaY: -1, bubbles: true, cancelable: true });
  fireEvent(slider, event);
  expect(onChange).toHaveBeenCalledWith(24.5);
  expect(event.defaultPrevented).toBe(true);
});

it("leaves other keys to the view", () => {
  const { slider, onChange } = ruler(24);
  expect(fireEvent.keyDown(slider, { key: "a" })).toBe(true);
  expect(onChange).not.toHaveBeenCalled();
});
