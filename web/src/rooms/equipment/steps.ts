import { trimmed } from "../../ui/units";

/** How far apart the settings of a list are: differences where they are even, else ratios. */
const sizes = (values: number[], even: boolean) =>
  values.slice(1).map((value, i) => (even ? value - (values[i] ?? 0) : value / (values[i] ?? value)));

/** The steps of a rising list in words: "steps of 1", "steps of ×1.25 to ×1.28". */
export function stepsOf(values: number[], even: boolean): string {
  const found = sizes(values, even);
  const [least, most] = [Math.min(...found), Math.max(...found)].map((one) => trimmed(one, even ? 1 : 2));
  const sign = even ? "" : "×";
  return least === most ? `steps of ${sign}${least}` : `steps of ${sign}${least} to ${sign}${most}`;
}

const WIDE = 1.6;

/** Between which settings the step is much wider than is usual of the list: a setting is probably missing there. */
export function gapsOf(values: number[], even: boolean): [number, number][] {
  const found = sizes(values, even).map((one) => (even ? one : Math.log(one)));
  const usual = [...found].sort((a, b) => a - b)[Math.floor(found.length / 2)] ?? 0;
  return found.flatMap((one, i): [number, number][] =>
    one > WIDE * usual + 1e-9 ? [[values[i] ?? 0, values[i + 1] ?? 0]] : [],
  );
}
