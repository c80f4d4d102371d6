import type { Page } from "../api/queries";
import { usePreferences } from "../ui/preferences";
import { SetUpDrawing } from "../ui/SetUpDrawing";

/** Where a part lies on the outline: from the crown down, and from the midline outward, in cm of a tall adult. */
const PLACES: Record<string, [number, number]> = {
  Skull: [10, 0],
  Sinuses: [13, 0],
  "Cervical spine": [27, 0],
  "Cervicothoracic junction": [32, 0],
  Shoulder: [34, 17],
  Clavicle: [31, 10],
  Scapula: [40, 12],
  "AC joints": [30, 17],
  Humerus: [48, 21],
  Elbow: [62, 23],
  Forearm: [72, 25],
  Wrist: [84, 27],
  Hand: [90, 28],
  Finger: [96, 29],
  Thumb: [91, 26],
  "Thoracic spine": [46, 0],
  Chest: [44, 0],
  "Child's chest": [44, 0],
  Ribs: [52, 10],
  Sternum: [42, 0],
  "Lumbar spine": [68, 0],
  Abdomen: [66, 0],
  "Child's abdomen": [66, 0],
  Pelvis: [82, 0],
  Hip: [88, 9],
  "SI joints": [80, 5],
  "Sacrum and coccyx": [84, 0],
  Femur: [108, 9],
  Knee: [126, 9],
  Patella: [126, 9],
  "Leg (tibia and fibula)": [144, 9],
  Ankle: [162, 9],
  Calcaneus: [166, 9],
  Foot: [168, 10],
  Toes: [170, 11],
  Scoliosis: [60, 0],
};

/** The same for views of an exam that goes down the body. */
const PLACES_OF_VIEW: Record<string, [number, number]> = {
  "long-leg-hips": [88, 9],
  "long-leg-knees": [126, 9],
  "long-leg-ankles": [162, 9],
};

/** A simple outline of the body with the part marked, and the set-up from the side to scale at the average thickness. */
export function Body({ page, className = "" }: { page: Page; className?: string }) {
  const { unit } = usePreferences();
  const [down, out] = PLACES_OF_VIEW[page.id] ?? PLACES[page.exam] ?? [60, 0];
  const bucky = page.supports[0]?.endsWith("bucky") ?? false;
  const way = page.angles[0];
  return (
    <div className={`flex gap-4 ${className}`}>
      <Outline page={page} down={down} out={out} />
      <SetUpDrawing
        view={{
          sidCm: page.sid_cm,
          angleDeg: way?.rule === "fixed" || way?.rule === "calcaneus_by_foot" ? way.deg : 0,
          gapCm: bucky ? 6 : page.supports[0] === "detector" ? 1 : 0,
          thicknessCm: page.thickness_cm.average,
          fieldCm: page.field_cm[1] ?? 30,
          horizontal: page.beam === "horizontal",
          grid:
            (bucky || page.detector_grid) &&
            page.grid_over_cm != null &&
            page.thickness_cm.average > page.grid_over_cm,
        }}
        unit={unit}
        className="h-full min-w-0 flex-1"
      />
    </div>
  );
}

const TURNED: Record<string, number> = { supine: 90, prone: 90, side_lying: 90 };

function Outline({ page, down, out }: { page: Page; down: number; out: number }) {
  const lying = page.posture in TURNED;
  const side = page.direction === "lateral";
  // A body seen from the front, or from the side: one stroke for each segment, its width that of the limb.
  const segments: [number, number, number, number, number][] = side
    ? [
        [0, 26, 0, 34, 9],
        [0, 36, 1, 80, 19],
        [1, 80, 1, 122, 14],
        [1, 124, -1, 160, 10],
        [-1, 167, 9, 168, 7],
        [0, 38, -3, 62, 7],
        [-3, 62, 4, 86, 6],
      ]
    : [
        [0, 26, 0, 34, 9],
        [-13, 38, -13, 40, 14],
        [13, 38, 13, 40, 14],
        [0, 40, 0, 76, 30],
        [0, 76, 0, 84, 32],
        [-9, 84, -9, 122, 15],
        [9, 84, 9, 122, 15],
        [-9, 124, -9, 160, 10],
        [9, 124, 9, 160, 10],
        [-9, 166, -12, 169, 7],
        [9, 166, 12, 169, 7],
        [-19, 38, -23, 62, 8],
        [19, 38, 23, 62, 8],
        [-23, 62, -27, 84, 6],
        [23, 62, 27, 84, 6],
        [-27, 86, -28, 93, 7],
        [27, 86, 28, 93, 7],
      ];
  const words = `Outline of a body ${page.posture.replace("_", " ")}, ${side ? "from the side" : "from the front"}; the part is marked.`;
  const body = (
    <>
      <ellipse cx={0} cy={11} rx={side ? 9.5 : 8} ry={11} fill="var(--rule)" />
      {segments.map(([x1, y1, x2, y2, w]) => (
        <line
          key={`${x1} ${y1} ${x2}`}
          x1={x1}
          y1={y1}
          x2={x2}
          y2={y2}
          strokeWidth={w}
          strokeLinecap="round"
          stroke="var(--rule)"
        />
      ))}
      <circle cx={side ? 0 : out} cy={down} r={7} fill="none" stroke="var(--beam)" strokeWidth={2.2} />
      <path
        d={`M${(side ? 0 : out) - 11} ${down} h8 M${(side ? 0 : out) + 3} ${down} h8 M${side ? 0 : out} ${down - 11} v8 M${side ? 0 : out} ${down + 3} v8`}
        stroke="var(--beam)"
        strokeWidth={1.4}
      />
    </>
  );
  return lying ? (
    <svg role="img" aria-label={words} viewBox="-4 -40 184 80" className="h-full w-1/2 shrink-0">
      <g transform="rotate(-90) scale(-1 1)">{body}</g>
      <line x1={0} x2={176} y1={36} y2={36} stroke="var(--ink-3)" strokeWidth={1.5} />
    </svg>
  ) : (
    <svg role="img" aria-label={words} viewBox="-45 -4 90 184" className="h-full w-1/3 shrink-0">
      {body}
      <line x1={-40} x2={40} y1={174} y2={174} stroke="var(--ink-3)" strokeWidth={1.5} />
    </svg>
  );
}
