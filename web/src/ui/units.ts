/** Showing lengths in cm or inch. Everything is kept and sent in cm. */
export type Unit = "cm" | "in";

export const CM_PER_IN = 2.54;

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

/** What a field reads: a plain number, a length in any usual unit, or an angle with its direction. */
export type Reading = "number" | "length" | "angle";

const NUMBER = String.raw`\d+(?:[.,]\d+)?|[.,]\d+`;
const LENGTH = new RegExp(String.raw`^(?:(\d+)\s+)?(\d+)\s*/\s*(\d+)\s*(\D*)$|^(${NUMBER})\s*(\D*)$`);
const IN_CM: Record<string, number> = {
  cm: 1,
  mm: 0.1,
  m: 100,
  in: CM_PER_IN,
  inch: CM_PER_IN,
  inches: CM_PER_IN,
  '"': CM_PER_IN,
  "″": CM_PER_IN,
  "''": CM_PER_IN,
};

/** A length as typed, in the unit asked for: 24, 24 cm, 1,5, 9.5 in, 9 1/2", 7″. Null where it is none. */
export function typedLength(text: string, unit: Unit): number | null {
  const found = LENGTH.exec(text.trim().toLowerCase());
  if (!found) return null;
  const [, whole, over, under, ofFraction, decimal, ofDecimal] = found;
  const number = decimal === undefined ? Number(whole ?? 0) + Number(over) / Number(under) : typed(decimal);
  const named = (ofFraction ?? ofDecimal ?? "").trim();
  const scale = IN_CM[named === "" ? unit : named];
  if (number === null || scale === undefined || !Number.isFinite(number)) return null;
  return named === "" ? number : fromCm(number * scale, unit);
}

const ANGLE = new RegExp(String.raw`^([+\-−]?)\s*(${NUMBER})\s*(?:°|deg|degrees)?\s*([a-z]*)$`);

/**
 * An angle as typed, toward the head positive: 10, −10, 10 caudal, 15° ceph. A bare number is caudal where `down` says so.
 * Null where it is none.
 */
export function typedAngle(text: string, down = false): number | null {
  const found = ANGLE.exec(text.trim().toLowerCase());
  const number = found ? typed(found[2] ?? "") : null;
  if (!found || number === null) return null;
  const written = found[3] ?? "";
  const sign = found[1] ?? "";
  const bare = down && sign === "" ? CAUDAL : CEPHALAD;
  const toward = written === "" ? bare : [CEPHALAD, CAUDAL].find((one) => begins(one, written));
  if (!toward) return null;
  const minus = sign === "-" || sign === "−";
  return number !== 0 && minus === (toward === CEPHALAD) ? -number : number;
}

const CEPHALAD = ["cephalad", "cephalic"];
const CAUDAL = ["caudal", "caudad"];
/** Two letters at least: with one it could be either. */
const begins = (words: string[], written: string) =>
  written.length > 1 && words.some((word) => word.startsWith(written));

/** What a field makes of a text; its own unit may stand behind the number. */
export function readAs(
  reading: Reading,
  text: string,
  unit: string | undefined,
  down = false,
): number | null {
  if (reading === "angle") return typedAngle(text, down);
  const [, sign = "", rest = ""] = /^\s*([+\-−]?)(.*)$/.exec(text) ?? [];
  if (sign !== "") {
    const size = readAs(reading, rest, unit);
    return size === null || sign === "+" || size === 0 ? size : -size;
  }
  if (reading === "length") return typedLength(text, unit === "in" ? "in" : "cm");
  const own = (unit ?? "").toLowerCase();
  const plain = text.trim().toLowerCase();
  return typed(own !== "" && plain.endsWith(own) ? plain.slice(0, -own.length).trim() : plain);
}

const LENGTHS = new RegExp(
  String.raw`((?:\d+(?:\.\d+)?(?:\s*[-–×]\s*|\s+(?:to|and|or|by)\s+|,\s+))*)(\d+(?:\.\d+)?)\s+cm\b(?![²2³/])`,
  "g",
);
const QUARTERS = ["", "¼", "½", "¾"];

/** Inches in quarters, as lengths on a body are said: 1¼, ½, 3. */
function quarters(inches: number): string {
  const count = Math.max(1, Math.round(4 * inches));
  const whole = Math.floor(count / 4);
  return `${whole || ""}${QUARTERS[count % 4]}`;
}

/**
 * A sentence with its lengths in the unit asked for: "Chart covers 13 to 36 cm" is "Chart covers 5.1 to 14.2 in". On a body lengths are read
 * off by hand, so there they go to the next quarter of an inch. A number "per cm" goes along; areas and mm stay as they are.
 */
export function lengthsIn(text: string, unit: Unit, onBody = false): string {
  if (unit === "cm") return text;
  const inches = (cm: string) =>
    onBody ? quarters(Number(cm) / CM_PER_IN) : trimmed(Number(cm) / CM_PER_IN, 1);
  return text
    .replace(/(\d+(?:\.\d+)?) (kVp per|kVp\/)(\s?)cm\b/g, (_, kvp: string, per: string, space: string) =>
      [trimmed(Number(kvp) * CM_PER_IN, 1), ` ${per}${space}in`].join(""),
    )
    .replace(
      LENGTHS,
      (_, before: string, last: string) =>
        `${before.replace(/\d+(?:\.\d+)?/g, (cm) => inches(cm))}${inches(last)} in`,
    );
}

/** What receptors are called in inches, by their size in cm; a plate is not measured but named. */
const NAMED: [number, number, string][] = [
  [13, 18, "5 × 7"],
  [15, 30, "6 × 12"],
  [18, 24, "8 × 10"],
  [20, 25, "8 × 10"],
  [18, 43, "7 × 17"],
  [24, 30, "10 × 12"],
  [25, 30, "10 × 12"],
  [28, 35, "11 × 14"],
  [35, 35, "14 × 14"],
  [35, 43, "14 × 17"],
  [43, 43, "17 × 17"],
];

/** A field's size as it measures, width × height. */
export const fieldSize = ([width = 0, height = 0]: readonly number[], unit: Unit) =>
  `${trimmed(fromCm(width, unit), 1)} × ${length(height, unit)}`;

/** A receptor's size by its name, width × height: "35 × 43 cm", "14 × 17 in"; as it measures where it has no name. */
export function receptorSize(size: readonly number[], unit: Unit): string {
  const [width = 0, height = 0] = size;
  const [small, large] = width <= height ? [width, height] : [height, width];
  const named = NAMED.find(([a, b]) => Math.abs(a - small) < 0.6 && Math.abs(b - large) < 0.6)?.[2];
  if (unit === "cm" || !named) return fieldSize(size, unit);
  return `${width <= height ? named : named.split(" × ").reverse().join(" × ")} in`;
}
