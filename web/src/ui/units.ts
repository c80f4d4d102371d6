/** Showing lengths in cm or inch. Everything is kept and sent in cm. */
export type Unit = "cm" | "in";

const CM_PER_IN = 2.54;

export const fromCm = (cm: number, unit: Unit) => (unit === "cm" ? cm : cm / CM_PER_IN);

export const toCm = (value: number, unit: Unit) => (unit === "cm" ? value : value * CM_PER_IN);

/** A length for reading: 24 cm, 24.5 cm, 9.6 in. */
export function length(cm: number, unit: Unit, digits = 1): string {
  return `${trimmed(fromCm(cm, unit), digits)} ${unit}`;
}

/** A number with at most `digits` decimals and no trailing zeros. */
export function trimmed(value: number, digits: number): string {
  return Number(value.toFixed(digits)).toString();
}

/** A number with three significant digits where it is small: 0.83, 6.3, 42, 160. */
export function figure(value: number): string {
  return trimmed(value, value < 1 ? 3 : value < 10 ? 2 : value < 100 ? 1 : 0);
}

/** With sign, and a real minus: +0.4, −1.2, 0.0. */
export function signed(value: number, digits = 1): string {
  const text = Math.abs(value).toFixed(digits);
  return Number(text) === 0 ? text : `${value < 0 ? "−" : "+"}${text}`;
}

/**
 * The number a person typed, with decimal comma or point; null where it is none. "1,250" is none: it may be a thousand and
 * more, or one and a quarter, and a thousandth part of a mAs is no small slip.
 */
export function typed(text: string): number | null {
  if (/^\s*[1-9]\d{0,2},\d{3}\s*$/.test(text)) return null;
  const cleaned = text.trim().replace(",", ".");
  if (!/^\d*\.?\d*$/.test(cleaned) || !/\d/.test(cleaned)) return null;
  return Number(cleaned);
}
