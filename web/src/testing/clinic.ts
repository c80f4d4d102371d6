import type {
  Chart,
  Choices,
  Exam,
  Exposure,
  Judgement,
  Line,
  LineTable,
  Person,
  Projection,
  Room,
  Session,
  TechniqueResponse,
  Version,
} from "../api/queries";
import type { Schemas } from "../api/client";

/** A small made-up clinic for tests without a server. Typed by the API's schema: a change there is seen here. */

export const ROOM: Room = {
  id: "room-1",
  name: "Room 1",
  typical_output: false,
  generator: {
    kvp: [60, 70, 80, 81],
    ma: [100, 200, 400],
    mas: [1, 2, 4, 8, 16],
    time_ms: [],
    focal_spots: [
      {
        name: "small",
        size_mm: 0.6,
        power: [
          { time_ms: 10, power_kw: 30 },
          { time_ms: 1000, power_kw: 20 },
        ],
      },
      { name: "large", size_mm: 1.2, power: [{ time_ms: 10, power_kw: 80 }] },
    ],
    mas_ceiling: 500,
  },
  outputs: [{ kvp: 80, kerma_ugy_per_mas: 48 }],
  supports: [
    { id: "tabletop", gap_cm: 0, grid: null, attenuation_mm_al: 0, sid_range_cm: null, sid_detents: [] },
    {
      id: "table_bucky",
      gap_cm: 7,
      grid: {
        ratio: 12,
        lines_per_cm: 40,
        focal_cm: 110,
        range_cm: [95, 130],
        lead_mm: 0.04,
        interspace: "aluminium",
        cover_mm_al: 0.3,
      },
      attenuation_mm_al: 0.7,
      sid_range_cm: null,
      sid_detents: [],
    },
  ],
  receptors: [
    {
      id: "panel-43",
      name: "Fixed panel",
      kind: "dr_csi",
      size_cm: [43, 43],
      target_ei: 250,
      speed: null,
      region_targets: [["spine", 300]],
      ei_scale: 1,
    },
    {
      id: "film-24",
      name: "Film cassette",
      kind: "film_screen",
      size_cm: [24, 30],
      target_ei: null,
      speed: 200,
      region_targets: [],
      ei_scale: 1,
    },
  ],
  loose_grids: [],
  tube: { filtration_mm_al: 3.2, filtration_mm_cu: 0, anode_angle_deg: 12, cathode_at: "" },
  aec: {
    cells: ["L", "C", "R"],
    density_step: 1.25,
    minimum_response_ms: 3,
    backup_factor: 1.5,
    holds: "index",
  },
  school: "rules",
  calibration: null,
  revision: 3,
  filters: [],
  length_unit: "cm",
};
export const ROOM_2: Room = { ...ROOM, id: "room-2", name: "Room 2" };

const SPINE: Projection = {
  id: "lspine-ap",
  exam: "Lumbar spine",
  name: "AP",
  short: "AP",
  region: "spine",
  shows: "Lumbar bodies.",
  also: [],
  measure: "At L3, lying on the back.",
  direction: "AP",
  ages: ["adult"],
  thickness_cm: { small: 16, average: 21, large: 30 },
  usual_range_cm: [13, 36],
  sid_cm: 107,
  sid_choices: [{ cm: 107, why: "The Bucky's own." }],
  minimum_sid_cm: null,
  supports: ["table_bucky", "tabletop"],
  detector_grid: false,
  grid_over_cm: 10,
  kvp_window: [75, 85],
  kvp_on: [],
  aec_cells: "C",
  focal_spot: "large",
  posture: "supine",
  beam: "vertical",
  angles: [],
  turns: [],
  central_ray: "To L3.",
  receptor_cm: [35, 43],
  field_cm: [20, 40],
  collimate: "To the psoas.",
  position: "On the back.",
  exposures: 1,
  digits: [],
  breathing: ["stop"],
  time_ceiling_ms: 500,
  marker: "R",
  marker_note: "",
  shields: [],
  structure_cm: 8,
  dose_levels: [],
  local: false,
};
const HAND: Projection = {
  ...SPINE,
  id: "hand-pa",
  exam: "Hand",
  name: "PA",
  short: "PA",
  region: "upper_limb",
  thickness_cm: { small: 2, average: 3, large: 4 },
  usual_range_cm: [1.5, 5],
  supports: ["tabletop"],
  grid_over_cm: null,
  sid_cm: 100,
  aec_cells: "none",
};
export const PROJECTIONS = [SPINE, HAND];

export const EXAMS: Exam[] = [
  {
    id: "lumbar",
    name: "Lumbar spine",
    steps: [{ projections: ["lspine-ap"], when: "", note: "", asks: "", side: "" }],
    projections: ["lspine-ap"],
    why: "AP first.",
    local: false,
  },
];

export const CHOICES: Choices = {
  modifiers: [],
  findings: { motion: "Motion" },
  questions: [["Is it sharp?", ["motion"]]],
  reject_reasons: { motion: "Patient moved" },
  general_cautions: ["A starting point under local protocol."],
  words: {},
  kvp_habits: [],
  checks: ["Name and date of birth read back"],
  rooms: {
    preferred_numbers: { "R'10": [1, 1.25, 1.6, 2, 2.5, 3.2, 4, 5, 6.3, 8] },
    tube_travel_cm: {
      tabletop: [80, 125],
      table_bucky: [80, 130],
      upright_bucky: [100, 200],
      detector: [80, 180],
    },
    detents: { cm: [100, 110], in: [40, 72] },
  },
};

export const person = (id: string, ...roles: Person["roles"]): Person => ({
  id,
  name: id.charAt(0).toUpperCase() + id.slice(1),
  roles,
  active: true,
  created_at: "2026-11-01T08:00:00Z",
  revision: 1,
  must_change: false,
});

export const session = (who: Person | null): Session => ({
  person: who,
  token: who ? `token-of-${who.id}` : null,
  idle_minutes: 15,
  offered: [],
  must_change: false,
  by_proxy: null,
});

/** Charts as the list of versions has them: those of the room that is asked for, or what is in use in every room. */
export const versions =
  (...charts: Chart[]) =>
  ({ query }: { query: URLSearchParams }) =>
    charts
      .filter((one) => query.get("room") === null || one.room === query.get("room"))
      .filter((one) => query.get("in_use") !== "true" || one.status !== "superseded")
      .map(listed);

export const listed = ({ lines, ...heading }: Chart): Version => ({ ...heading, line_count: lines.length });

/** What the approved chart of the first room has lines for. */
export const CHARTED = ["lspine-ap", "hand-pa"];

export const start = (change: Partial<Schemas["Start"]> = {}): Schemas["Start"] => ({
  rooms: [ROOM, ROOM_2],
  room: ROOM,
  charted: CHARTED,
  department: { name: "", length_unit: "cm", system: null },
  demo: false,
  session: session(null),
  ...change,
});

export const lists = (change: Partial<Schemas["Lists"]> = {}): Schemas["Lists"] => ({
  projections: PROJECTIONS,
  exams: EXAMS,
  choices: CHOICES,
  ...change,
});

const line = (id: number, projection: string, law: Line["law"], more: Partial<Line> = {}): Line => ({
  id,
  key: id,
  revision: 1,
  projection,
  receptor: "panel-43",
  support: "table_bucky",
  grid_ratio: 12,
  sid_cm: 107,
  range_cm: [13, 36],
  law,
  target_ei: null,
  field_cm: null,
  note: "",
  link: null,
  filter: null,
  exposure_control: "manual",
  aec_cells: null,
  aec_density: 0,
  origin: "exposure",
  origin_spread_di: null,
  ...more,
});
export const FIXED = line(1, "lspine-ap", {
  name: "fixed_kvp",
  thickness_cm: 21,
  kvp: 80,
  mas: 40,
  doubling_cm: 4.5,
});
export const BANDED = line(2, "hand-pa", {
  name: "banded",
  bands: [
    { name: "small", min_cm: 1.5, max_cm: 3, kvp: 55, mas: 1.2 },
    { name: "large", min_cm: 3, max_cm: 5, kvp: 57, mas: 2 },
  ],
});
export const LEVELLED = line(3, "lspine-ap", {
  name: "levelled",
  base_cm: 21,
  points: [
    { thickness_cm: 13, kvp: 75, mas: 12 },
    { thickness_cm: 21, kvp: 80, mas: 40 },
    { thickness_cm: 36, kvp: 90, mas: 160 },
  ],
});

export const CHART: Chart = {
  id: 11,
  room: "room-1",
  name: "Room 1 chart",
  version: 2,
  status: "draft",
  grid_table: "average",
  author: "keeper",
  approver: "",
  created_at: "2026-11-10T08:00:00Z",
  approved_at: "",
  note: "",
  revision: 5,
  proposed_by: "",
  proposed_at: "",
  review_by: "",
  lines: [FIXED, BANDED, LEVELLED],
};

export const tableOf = (of: Line): LineTable => ({
  line: of,
  rows: [18, 21, 24].map((thickness_cm) => ({
    thickness_cm,
    exact_kvp: 80,
    exact_mas: 40,
    kvp: 80,
    mas: 40,
    ma: 400,
    time_ms: 100,
    focal_spot: "large",
    residual_di: 0.1,
    over_time_ceiling: false,
    refusal: null,
    drift_di: 0.2,
  })),
  base_di: 0.8,
  base_mas: 33,
});

export const ANSWER: TechniqueResponse = {
  technique: {
    kvp: 80,
    mas: 63,
    ma: 400,
    time_ms: 157.5,
    focal_spot: "large",
    sid_cm: 107,
    support: "table_bucky",
    grid_ratio: 12,
    receptor: "panel-43",
    exposure_control: "manual",
    filter: null,
    aec_cells: null,
    aec_density: 0,
    aec_backup_mas: null,
    aec_chambers: [],
  },
  trust: "supported",
  trust_words: "From one accepted exposure, no image logged yet: watch the first image.",
  exact_kvp: 80,
  exact_mas: 63.5,
  residual_log2: -0.01,
  steps: [
    {
      name: "Chart line",
      factor: 1,
      kvp_before: 80,
      mas_before: 40,
      kvp_after: 80,
      mas_after: 40,
      school: "rules",
      why: "The chart's numbers at 21 cm.",
      apart: false,
    },
    {
      name: "Thickness",
      factor: 1.5875,
      kvp_before: 80,
      mas_before: 40,
      kvp_after: 80,
      mas_after: 63.5,
      school: "rules",
      why: "21 to 24 cm: mAs doubles every 4.5 cm, kVp stays.",
      other_school: "model",
      other_factor: 1.8,
      apart: true,
    },
  ],
  forecast: {
    dose_estimated: false,
    ei: 248,
    di: -0.03,
    optical_density: null,
    target_ei: 250,
    incident_air_kerma_mgy: 4.2,
    kap_mgycm2: 1800,
    field_at_skin_cm: [15, 30],
    time_ms: 157.5,
    energy_j: 5040,
    heat_units: 7000,
    magnification_at_skin: 1.4,
    di_low: -1.2,
    di_high: 1.1,
    seen: 0,
    entrance_surface_kerma_mgy: 5.8,
    levels: [
      {
        quantity: "incident_air_kerma",
        value: 5,
        unit: "mGy",
        kg: null,
        of_whom: "the average adult",
        source: "example",
        as_of: "",
      },
    ],
    model_di: -0.4,
    detail: "bone",
    contrast: 0.123,
    cnr: 41,
    unsharpness_mm: 0.31,
  },
  cautions: [
    { level: "warning", text: "Thick for this line.", cites: "range" },
    { level: "note", text: "Gonads near the field.", cites: "shield" },
  ],
  chart: { id: 11, version: 2, status: "approved", line: FIXED },
  thickness: { cm: 24, spread_cm: 0.5, source: "measured", said: "Measured." },
  figures: {
    tube_angle_deg: 0,
    tube_height_cm: 107,
    sid_if_left_cm: 107,
    mas_factor_if_left: 1,
    receptor_shift_cm: 0,
    oid_cm: 15,
    magnification: 1.16,
    geometric_blur_mm: 0.2,
    field_cm: [20, 40],
    field_at_skin_cm: [15, 30],
    beyond_cm2: 0,
    beyond_percent: 0,
    source_to_skin_cm: 76,
    gap_cm: 7,
    thickness_cm: 24,
    support_mm_al: 0.7,
    posture: "supine",
    beam: "vertical",
    other_sids: [],
    grid: { usual: true, in_use: true, ratio: 12, dose_factor: 3, said: "A grid is usual here." },
    heel: null,
  },
  angle: {
    school: null,
    advice: { deg: 0, why: "Straight.", needs: null, assumed: false } as unknown as Schemas["Advice"],
    schools: [],
  },
  turn: null,
};

export const exposure = (id: number, change: Partial<Exposure> = {}): Exposure => ({
  room: "room-1",
  chart: 11,
  chart_version: 2,
  projection: "lspine-ap",
  thickness_cm: 24,
  suggested_kvp: 80,
  suggested_mas: 63,
  kvp: 80,
  mas: 63,
  sid_cm: 107,
  support: "table_bucky",
  grid_ratio: 12,
  receptor: "panel-43",
  exposure_control: "manual",
  outcome: "accepted",
  ei: 262,
  target_ei: 250,
  optical_density: null,
  di: 0.2,
  incident_air_kerma_mgy: 4.2,
  kap_mgycm2: 1800,
  reject_reason: null,
  findings: [],
  reliable: true,
  age_band: null,
  study_key: "",
  note: "",
  side: "",
  thickness_from: "measured",
  attempt: 1,
  held_by: "",
  digit: "",
  rejects_known: true,
  origin: "desk",
  sources: {},
  recorded_as: "technologist",
  far_over: false,
  taken_at: "2026-11-20T10:00:00Z",
  id,
  ...change,
});

export const JUDGEMENT: Judgement = {
  evaluation: {
    di: 0,
    level: "on_target",
    verdict: "On target",
    repeat: "no",
    repeat_why: "No repeat.",
    reliable: true,
    factor: 1,
    change: "none",
    change_why: "Nothing to change.",
    check_first: [],
  },
  ei: 250,
  target_ei: 250,
  corrected: null,
  correction_refused: null,
  asks: [],
};

/** A radiograph of four pixels that received nothing. */
export const PICTURE = {
  rows: 2,
  columns: 2,
  pixel_mm: 1,
  levels: btoa("\0\0\0\0\0\0\0\0"),
  dark: 40_000,
  light: 20_000,
};
