import type { Picture } from "../api/practice";

/** The levels of a picture, row by row. */
export function levelsOf(picture: Picture): Uint16Array {
  const bytes = Uint8Array.from(atob(picture.levels), (letter) => letter.charCodeAt(0));
  return new Uint16Array(bytes.buffer);
}

export interface Window {
  dark: number;
  light: number;
}

const BENDS = 5;

/** The grey 0 to 255 of a level: what received more is darker, gently at both ends; inverse the other way. */
export function greyOf(level: number, { dark, light }: Window, inverse: boolean): number {
  const share = (level - light) / Math.max(dark - light, 1);
  const bent = 1 / (1 + Math.exp(-BENDS * (share - 0.5)));
  const ends = 1 / (1 + Math.exp(BENDS / 2));
  const straight = Math.min(Math.max((bent - ends) / (1 - 2 * ends), 0), 1);
  return Math.round(255 * (inverse ? straight : 1 - straight));
}

/** A table of greys for every level / 16. */
export function greys(window: Window, inverse: boolean): Uint8Array {
  return Uint8Array.from({ length: 4096 }, (_, i) => greyOf(16 * i + 8, window, inverse));
}

/** How many pixels have each of so many ranges of levels, the fullest being 1. */
export function histogram(levels: Uint16Array, ranges: number): number[] {
  const counts = new Array<number>(ranges).fill(0);
  for (const level of levels) {
    const at = Math.min(ranges - 1, Math.floor((level * ranges) / 65536));
    counts[at] = (counts[at] ?? 0) + 1;
  }
  const most = Math.max(...counts.slice(1, -1), 1);
  return counts.map((count) => Math.min(1, count / most));
}
