import type { Choices, Line, Projection, Room } from "../api/queries";

/** The interface's words for the API's keys. */
export const SUPPORT: Record<string, string> = {
  tabletop: "Tabletop",
  table_bucky: "Table Bucky",
  upright_bucky: "Upright Bucky",
  detector: "Loose detector",
};

export const SYSTEM: Record<string, string> = {
  fixed_kvp: "Fixed kVp",
  variable_kvp: "Variable kVp",
  banded: "Banded",
  levelled: "Levelled",
};

/** How far a line can be trusted, by what stands behind it. */
export const TRUST = { proven: "proven", supported: "supported", model: "no image yet" } as const;

/** What a dose figure is a figure of. */
export const QUANTITY = {
  incident_air_kerma: "skin kerma",
  entrance_surface_air_kerma: "skin kerma with backscatter",
  kerma_area_product: "KAP",
} as const;

/** Whether a dose level is one of those that ship, and no department's own. */
export const isExample = (level: { source: string }) => level.source.startsWith("example");

/** The level of skin kerma of the usual patient, which a department mostly sets. */
export const usualLevel = <L extends { quantity: string; kg?: [number, number] | null }>(
  levels: L[],
): L | undefined => levels.find((level) => level.quantity === "incident_air_kerma" && !level.kg);

/** A person's roles, and what each may do. */
export const ROLE: Record<string, { name: string; does: string }> = {
  technologist: { name: "Technologist", does: "uses charts, records exposures" },
  keeper: { name: "Chart keeper", does: "builds and proposes charts" },
  physicist: { name: "Physicist", does: "calibrates rooms, approves charts" },
  trainee: { name: "Trainee", does: "looks up and judges, records nothing" },
  admin: { name: "Administrator", does: "adds people, sees what was done" },
};

/** A school within a sentence: only its first letter is small. */
export const systemWords = (school: string) => {
  const name = SYSTEM[school] ?? school;
  return name.charAt(0).toLowerCase() + name.slice(1);
};

/** What a set-up names to have no filter before the tube. */
export const NO_FILTER = "none";

/** The filters of a room to choose from, none first. */
export const filterOptions = (room: Room) => [
  { value: NO_FILTER, label: "None added" },
  ...room.filters.map((one) => ({ value: one.id, label: one.name })),
];

/** What stands before the tube, by name, in a room whose filters can be selected; null in a room that has none. */
export const filterOf = (room: Room, id: string | null | undefined): string | null =>
  room.filters.length ? (room.filters.find((one) => one.id === id)?.name ?? "no added filter") : null;

/** A support within a sentence. */
export const supportWords = (support: string) => {
  const name = SUPPORT[support] ?? support;
  return name.charAt(0).toLowerCase() + name.slice(1);
};

/** Every way a chart line can be written, the ones that are a choice of kVp among them. */
export const TECHNIQUE_SYSTEM: Record<string, string> = {
  fixed_kvp: "Fixed kVp",
  variable_kvp: "Variable kVp",
  high_kvp: "High kVp",
  banded: "Banded",
  levelled: "Levelled",
  aec: "AEC",
};

/** The two schools of the ladder. */
export const METHOD = { rules: "rules of thumb", model: "physics model" } as const;

export const RECEPTOR_KIND: Record<string, string> = {
  dr_csi: "DR panel, CsI",
  dr_gos: "DR panel, Gd₂O₂S",
  cr: "Storage plate (CR)",
  film_screen: "Film-screen",
};

export const GRID_RATIOS = [0, 5, 6, 8, 10, 12, 16];

export const grid = (ratio: number) => (ratio === 0 ? "No grid" : `${ratio}:1`);

export const projectionName = (projection: Projection | undefined, id: string) =>
  projection ? `${projection.exam} ${projection.name}` : id;

export const receptorName = (room: Room, id: string) =>
  room.receptors.find((receptor) => receptor.id === id)?.name ?? id;

/** The law of a line in a few words. */
export function ruleWords(line: Line): string {
  const law = line.law;
  if (law.name === "banded") return `${law.bands.length} bands`;
  if (law.name === "levelled") return `${law.points.length} points, by the model`;
  return law.name === "fixed_kvp" ? `×2 per ${law.doubling_cm} cm` : `${law.kvp_per_cm} kVp per cm`;
}

const DATE = new Intl.DateTimeFormat("en-GB", { day: "2-digit", month: "short", year: "numeric" });
const MOMENT = new Intl.DateTimeFormat("en-GB", {
  day: "2-digit",
  month: "short",
  hour: "2-digit",
  minute: "2-digit",
});

const DAY = new Intl.DateTimeFormat("en-GB", { day: "2-digit", month: "short" });

export const day = (iso: string) => DAY.format(new Date(iso));
export const date = (iso: string) => DATE.format(new Date(iso));
const CLOCK = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit" });
/** The time of a day. */
export const clock = (iso: string) => CLOCK.format(new Date(iso));
export const moment = (iso: string) => MOMENT.format(new Date(iso));

export const CONTROLS = [
  { value: "manual", label: "Manual" },
  { value: "aec", label: "AEC" },
  { value: "breathing", label: "Breathing" },
];

const CELLS = ["C", "L+R", "L+C+R", "L", "R", "L+C", "C+R"];

/** The chambers, alone and together, that a room's AEC can be set to. */
export function cellsOf(room: Room): string[] {
  const there = new Set(room.aec?.cells ?? []);
  return CELLS.filter((name) => name.split("+").every((one) => there.has(one)));
}

/** How a line is exposed where it is not by hand, in a word or two; empty for by hand. */
/** What the fingers or toes of a view are called. */
export const digitNames = (
  region: string | undefined,
  words: Choices["words"] | undefined,
): Record<string, string> => words?.[region === "lower_limb" ? "toe" : "finger"] ?? {};

/** What is its own for one digit: which way it turns, what else the hands do, how far off the receptor it stays. */
export const digitWords = ({ turned, do: does, off_cm }: Projection["digits"][number]) =>
  [turned && `Turn: ${turned}.`, does, off_cm > 0 && `It stays about ${off_cm} cm off the receptor.`]
    .filter(Boolean)
    .join(" ");

export const controlWords = (line: Pick<Line, "exposure_control" | "aec_cells">) =>
  line.exposure_control === "aec"
    ? `AEC${line.aec_cells ? ` ${line.aec_cells}` : ""}`
    : line.exposure_control === "breathing"
      ? "breathing"
      : "";

/** The ages that a patient can be said to have, with the weights they stand for. */
export const AGE_BANDS = [
  { value: "newborn", label: "Newborn, < 5 kg" },
  { value: "1y", label: "1 month to 3 y, 5–15 kg" },
  { value: "5y", label: "4 to 9 y, 15–30 kg" },
  { value: "10y", label: "10 to 13 y, 30–50 kg" },
  { value: "15y", label: "14 to 17 y, 50–80 kg" },
  { value: "adult", label: "Adult" },
  { value: "older_adult", label: "Older adult, 65+" },
];

export const HABITUS = [
  { value: "asthenic", label: "Asthenic, slender" },
  { value: "hyposthenic", label: "Hyposthenic, slim" },
  { value: "sthenic", label: "Sthenic, average" },
  { value: "hypersthenic", label: "Hypersthenic, broad" },
];
