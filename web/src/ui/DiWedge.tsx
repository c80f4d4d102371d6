import { signed } from "./units";

/** The grey steps between the usual action levels. Film-like: under is light, over is dark. */
const STEPS = [
  { from: -4, to: -3, name: "far under", grey: "#e4e0d8" },
  { from: -3, to: -1, name: "under", grey: "#cfcac0" },
  { from: -1, to: -0.5, name: "", grey: "#b6b0a6" },
  { from: -0.5, to: 0.5, name: "on target", grey: "#98938a" },
  { from: 0.5, to: 1, name: "", grey: "#7b766e" },
  { from: 1, to: 3, name: "over", grey: "#5b5751" },
  { from: 3, to: 4, name: "excessive", grey: "#3a3733" },
];
const LOW = -4;
const SPAN = 8;
const place = (di: number) => (100 * (Math.min(Math.max(di, -4), 4) - LOW)) / SPAN;

interface Props {
  /** Null draws the scale without a notch. */
  di: number | null;
  /** Small: no names and numbers, for a row of a table. */
  small?: boolean;
}

/** The deviation index as a step wedge with the image's value as a notch. */
export function DiWedge({ di, small = false }: Props) {
  const beyond = di !== null && Math.abs(di) > 4;
  return (
    <div
      role="img"
      aria-label={di === null ? "Deviation index scale" : `Deviation index ${signed(di)}`}
      className={small ? "w-28" : "w-full"}
    >
      <div data-drawn className={`relative ${small ? "h-3" : "h-6"}`}>
        <div className="absolute inset-0 flex overflow-hidden rounded-xs border border-rule-strong">
          {STEPS.map((step) => (
            <div
              key={step.from}
              style={{ width: `${(100 * (step.to - step.from)) / SPAN}%`, background: step.grey }}
            />
          ))}
        </div>
        <div
          className="absolute inset-y-0 border-x-2 border-good"
          style={{ left: `${place(-0.5)}%`, width: `${place(0.5) - place(-0.5)}%` }}
        />
        {di !== null && (
          <div
            className="absolute -inset-y-1 w-[5px] -translate-x-1/2 border border-ground bg-ink transition-[left] duration-150"
            style={{ left: `${place(di)}%` }}
          />
        )}
      </div>
      {!small && (
        <>
          <div className="relative mt-1 h-4 text-note text-ink-3">
            {STEPS.slice(1)
              .filter(({ from: edge }) => Number.isInteger(edge))
              .map(({ from: edge }) => (
                <span key={edge} className="absolute -translate-x-1/2" style={{ left: `${place(edge)}%` }}>
                  {signed(edge, 0)}
                </span>
              ))}
          </div>
          <div className="relative h-4 text-note text-ink-3">
            {STEPS.map((step) => (
              <span
                key={step.from}
                className="absolute -translate-x-1/2 whitespace-nowrap"
                style={{ left: `${(place(step.from) + place(step.to)) / 2}%` }}
              >
                {step.name}
              </span>
            ))}
          </div>
          {beyond && <p className="mt-1 text-note text-bad">Beyond the scale.</p>}
        </>
      )}
    </div>
  );
}
