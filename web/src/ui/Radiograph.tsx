import { type KeyboardEvent, type PointerEvent, useEffect, useMemo, useRef, useState } from "react";

import type { Picture } from "../api/practice";
import { Button } from "./Button";
import { greys, histogram, levelsOf, type Window } from "./levels";

const STEP = 0.06;

/**
 * A radiograph with its window: drag across for contrast and up or down for brightness, or the arrow keys. What is to be seen in
 * it is not said: that is for who looks.
 */
export function Radiograph({
  picture,
  label,
  under,
  share = 1,
  onShare,
  tall = "34rem",
}: {
  picture: Picture;
  label: string;
  /** Another exposure, shown left of the swipe line. */
  under?: Picture | null;
  /** Where the swipe line stands, 0 to 1 across. */
  share?: number;
  onShare?: (share: number) => void;
  /** The most it may be high, as a CSS length. */
  tall?: string;
}) {
  const first = { dark: picture.dark, light: picture.light };
  const [changed, setChanged] = useState<{ of: Picture; window: Window } | null>(null);
  const [inverse, setInverse] = useState(false);
  const [large, setLarge] = useState(false);
  const window = changed?.of === picture ? changed.window : first;
  const setWindow = (next: Window) => setChanged({ of: picture, window: next });
  const drag = useRef<{ x: number; y: number; window: Window } | null>(null);

  /** Wider or narrower, and moved, in shares of the window. */
  function move(from: Window, wider: number, up: number) {
    const middle = (from.dark + from.light) / 2;
    const half = ((from.dark - from.light) / 2) * Math.exp(wider);
    const shift = up * (from.dark - from.light);
    setWindow({ dark: middle + half + shift, light: middle - half + shift });
  }

  function onKeyDown(event: KeyboardEvent) {
    const ways: Record<string, () => void> = {
      ArrowRight: () => move(window, STEP, 0),
      ArrowLeft: () => move(window, -STEP, 0),
      ArrowUp: () => move(window, 0, STEP),
      ArrowDown: () => move(window, 0, -STEP),
      i: () => setInverse(!inverse),
      m: () => setLarge(!large),
      Home: () => setChanged(null),
    };
    const way = ways[event.key];
    if (!way) return;
    event.preventDefault();
    event.stopPropagation();
    way();
  }

  function onPointerMove(event: PointerEvent) {
    const from = drag.current;
    if (!from) return;
    move(from.window, (event.clientX - from.x) / 200, (from.y - event.clientY) / 300);
  }

  return (
    <figure className="flex min-h-0 flex-col gap-2">
      {/* It is a picture to be read; that it can be made lighter by hand is beside that, and by keys too. */}
      {/* eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions */}
      <div
        role="img"
        aria-label={label}
        tabIndex={0}
        onKeyDown={onKeyDown}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          drag.current = { x: event.clientX, y: event.clientY, window };
        }}
        onPointerMove={onPointerMove}
        onPointerUp={() => (drag.current = null)}
        className={`relative mx-auto w-full cursor-crosshair touch-none ${large ? "overflow-auto" : "overflow-hidden"}`}
        style={{
          aspectRatio: `${picture.columns} / ${picture.rows}`,
          maxHeight: tall,
          maxWidth: `calc(${tall} * ${picture.columns / picture.rows})`,
        }}
      >
        <Canvas picture={picture} window={window} inverse={inverse} large={large} />
        {under && (
          <>
            <div
              className="absolute inset-0 overflow-hidden"
              style={{ clipPath: `inset(0 ${100 * (1 - share)}% 0 0)` }}
            >
              <Canvas
                picture={under}
                window={{ dark: under.dark, light: under.light }}
                inverse={inverse}
                large={large}
              />
            </div>
            <div
              aria-hidden
              className="absolute inset-y-0 w-0.5 bg-beam"
              style={{ left: `${100 * share}%` }}
            />
          </>
        )}
      </div>
      <div className="flex flex-wrap items-center gap-2">
        <Button tone="quiet" hint="i" aria-pressed={inverse} onClick={() => setInverse(!inverse)}>
          Inverse
        </Button>
        <Button tone="quiet" hint="m" aria-pressed={large} onClick={() => setLarge(!large)}>
          Magnify
        </Button>
        <Button tone="quiet" hint="Home" disabled={changed?.of !== picture} onClick={() => setChanged(null)}>
          As at first
        </Button>
        <Histogram picture={picture} window={window} />
        <Profile picture={picture} window={window} />
        {under && onShare && (
          <label className="flex min-h-touch basis-full items-center gap-2">
            <span className="text-note text-ink-2">Last</span>
            <input
              type="range"
              min={0}
              max={100}
              value={Math.round(100 * share)}
              aria-label="Swipe line between the last exposure and this one"
              className="min-w-40 flex-1 accent-(--beam)"
              onChange={(event) => onShare(Number(event.currentTarget.value) / 100)}
            />
            <span className="text-note text-ink-2">This</span>
          </label>
        )}
      </div>
    </figure>
  );
}

/** A small radiograph as its system shows it: nothing to be set. */
export function Still({ picture, label }: { picture: Picture; label: string }) {
  return (
    <div
      role="img"
      aria-label={label}
      className="w-full"
      style={{ aspectRatio: `${picture.columns} / ${picture.rows}` }}
    >
      <Canvas picture={picture} window={picture} inverse={false} large={false} />
    </div>
  );
}

function Canvas({
  picture,
  window,
  inverse,
  large,
}: {
  picture: Picture;
  window: Window;
  inverse: boolean;
  large: boolean;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const levels = useMemo(() => levelsOf(picture), [picture]);
  const { dark, light } = window;
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context) return;
    const table = greys({ dark, light }, inverse);
    const image = context.createImageData(picture.columns, picture.rows);
    const dots = new Uint32Array(image.data.buffer);
    for (let i = 0; i < levels.length; i++) {
      const grey = table[(levels[i] ?? 0) >> 4] ?? 0;
      dots[i] = 0xff000000 | (grey << 16) | (grey << 8) | grey;
    }
    context.putImageData(image, 0, 0);
  }, [levels, picture, dark, light, inverse]);
  return (
    <canvas
      ref={canvas}
      width={picture.columns}
      height={picture.rows}
      className={large ? "h-[200%] w-[200%] max-w-none" : "h-full w-full"}
    />
  );
}

/** The levels along the middle row, within the window: how hard an edge is, and how much it grains. */
function Profile({ picture, window }: { picture: Picture; window: Window }) {
  const path = useMemo(() => {
    const levels = levelsOf(picture);
    const from = Math.floor(picture.rows / 2) * picture.columns;
    return [...levels.slice(from, from + picture.columns)];
  }, [picture]);
  const { dark, light } = window;
  const y = (level: number) =>
    27 - 26 * Math.min(1, Math.max(0, (level - light) / Math.max(dark - light, 1)));
  return (
    <svg
      aria-hidden
      viewBox={`0 0 ${picture.columns} 28`}
      className="h-9 w-32 border-b border-rule"
      preserveAspectRatio="none"
    >
      <title>Along the middle row</title>
      <path
        d={path.map((level, i) => `${i ? "L" : "M"}${i} ${y(level).toFixed(1)}`).join("")}
        fill="none"
        stroke="var(--ink-2)"
        vectorEffect="non-scaling-stroke"
      />
    </svg>
  );
}

const RANGES = 96;

/** How much of the image has which level, with the window over it. */
function Histogram({ picture, window }: { picture: Picture; window: Window }) {
  const counts = useMemo(() => histogram(levelsOf(picture), RANGES), [picture]);
  const at = (level: number) => (RANGES * level) / 65536;
  return (
    <svg aria-hidden viewBox={`0 0 ${RANGES} 28`} className="h-9 w-32" preserveAspectRatio="none">
      <rect
        x={at(window.light)}
        width={Math.max(0.5, at(window.dark) - at(window.light))}
        height={28}
        fill="var(--raised)"
        stroke="var(--ink-3)"
        strokeWidth={0.4}
      />
      {counts.map((count, i) => (
        <rect key={i} x={i} width={0.9} y={28 - 27 * count} height={27 * count} fill="var(--ink-2)" />
      ))}
    </svg>
  );
}
