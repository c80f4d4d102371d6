import { useSyncExternalStore } from "react";

/** One's own hand as a ruler: the width of one to five fingers side by side, in cm; kept in this browser. */
export type Hand = [number, number, number, number, number];

const KEY = "oakbeam.hand";
const listeners = new Set<() => void>();
let cached: { text: string | null; hand: Hand | null } = { text: null, hand: null };

function read(): Hand | null {
  const text = localStorage.getItem(KEY);
  if (text !== cached.text) {
    let hand: Hand | null = null;
    try {
      const value: unknown = text ? JSON.parse(text) : null;
      if (Array.isArray(value) && value.length === 5 && value.every((one) => typeof one === "number"))
        hand = value as Hand;
    } catch {
      hand = null;
    }
    cached = { text, hand };
  }
  return cached.hand;
}

export function keepHand(hand: Hand | null) {
  if (hand) localStorage.setItem(KEY, JSON.stringify(hand));
  else localStorage.removeItem(KEY);
  for (const listener of listeners) listener();
}

function subscribe(listener: () => void) {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

export const useHand = () => useSyncExternalStore(subscribe, read);

/** A length in fingers of this hand, where it is near a whole number of them: "3 fingers". */
export function inFingers(cm: number, hand: Hand): string | null {
  let best = 0;
  for (let i = 1; i < hand.length; i++)
    if (Math.abs((hand[i] ?? 0) - cm) < Math.abs((hand[best] ?? 0) - cm)) best = i;
  const width = hand[best] ?? 0;
  if (Math.abs(width - cm) > 0.25 * cm || cm > 1.3 * (hand[4] ?? 0)) return null;
  const name = best === 0 ? "1 finger" : `${best + 1} fingers`;
  const off = cm - width;
  return Math.abs(off) < 0.4 ? name : `${name} ${off > 0 ? "and a bit" : "less a bit"}`;
}

/** Puts the fingers behind each length in a text: "5 cm (3 fingers) below". */
export function withFingers(text: string, hand: Hand | null): string {
  if (!hand) return text;
  return text.replace(/(\d+(?:\.\d+)?) cm/g, (whole, cm: string) => {
    const fingers = inFingers(Number(cm), hand);
    return fingers ? `${whole} (${fingers})` : whole;
  });
}
