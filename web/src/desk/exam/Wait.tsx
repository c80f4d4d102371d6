import { useEffect, useState } from "react";

import { type Stop } from "../state";
import { type Act } from "../useDesk";

const MINUTE = 60_000;

/** A wait that runs while other work goes on. */
export function Wait({ stop, at, act }: { stop: Stop; at: number; act: Act }) {
  const [now, setNow] = useState(() => Date.now());
  const left = stop.wait_until === null ? null : stop.wait_until - now;
  useEffect(() => {
    if (stop.wait_until === null) return;
    const timer = window.setInterval(() => setNow(Date.now()), 1000);
    return () => window.clearInterval(timer);
  }, [stop.wait_until]);
  const minutes = stop.wait_min ?? 5;
  const words =
    left === null
      ? `wait ${minutes} min`
      : left > 0
        ? `${Math.floor(left / MINUTE)}:${String(Math.floor((left % MINUTE) / 1000)).padStart(2, "0")} left`
        : "wait over";
  return (
    <button
      type="button"
      title={`${stop.note}. ${left === null ? "Start the timer." : "Press to stop it."}`}
      aria-label={`Wait, ${stop.note}: ${words}`}
      onClick={() => {
        const started = Date.now();
        setNow(started);
        act({ do: "wait", at, until: stop.wait_until === null ? started + minutes * MINUTE : null });
      }}
      className={`min-h-touch shrink-0 px-1.5 text-note whitespace-nowrap ${left === null ? "text-ink-2" : left > 0 ? "text-warn" : "text-good"}`}
    >
      <span aria-hidden>{left === null ? "◔" : left > 0 ? "◑" : "●"}</span> {words}
    </button>
  );
}
