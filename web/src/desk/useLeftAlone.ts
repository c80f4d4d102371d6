import { useEffect, useState } from "react";

const ALONE_MS = 10 * 60_000;

/** Whether nobody has touched the console for a while, and what brings it back. */
export function useLeftAlone(): [boolean, () => void] {
  const [alone, setAlone] = useState(false);
  useEffect(() => {
    if (alone) return;
    let timer = window.setTimeout(() => setAlone(true), ALONE_MS);
    const touched = () => {
      window.clearTimeout(timer);
      timer = window.setTimeout(() => setAlone(true), ALONE_MS);
    };
    const signs = ["pointerdown", "pointermove", "keydown", "wheel"] as const;
    for (const sign of signs) window.addEventListener(sign, touched, { passive: true });
    return () => {
      window.clearTimeout(timer);
      for (const sign of signs) window.removeEventListener(sign, touched);
    };
  }, [alone]);
  return [alone, () => setAlone(false)];
}
