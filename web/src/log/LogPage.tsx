import { lazy, Suspense } from "react";

import type { Room } from "../api/queries";
import { useAddressWord, useTitle } from "../ui/address";
import { Waiting } from "../ui/Notice";
import { Segmented } from "../ui/Segmented";
import { Board } from "./Board";
import { List } from "./List";

const OverTime = lazy(() => import("./OverTime").then((m) => ({ default: m.OverTime })));
const WhyOff = lazy(() => import("./WhyOff").then((m) => ({ default: m.WhyOff })));
const Tune = lazy(() => import("./Tune").then((m) => ({ default: m.Tune })));
const Images = lazy(() => import("./Images").then((m) => ({ default: m.Images })));

const PARTS = ["board", "time", "why", "tune", "images", "list"] as const;
const NAMES: Record<(typeof PARTS)[number], string> = {
  board: "Board",
  time: "Over time",
  why: "Why off",
  tune: "Tune the chart",
  images: "Images in",
  list: "List",
};

/** The Log: what a period was like, what moved and why, what the chart should be, and every exposure behind it. */
export function LogPage({ room }: { room: Room }) {
  const [part, setPart] = useAddressWord("part", PARTS);
  useTitle(part === "board" ? "Log" : `${NAMES[part]} · Log`);
  return (
    <div className="flex flex-1 flex-col">
      <h1 className="sr-only">Log</h1>
      <div className="border-b border-rule px-5 pt-1">
        <Segmented
          label="Part of the log"
          value={part}
          options={PARTS.map((value) => ({ value, label: NAMES[value] }))}
          onChange={(next) => setPart(next as typeof part)}
        />
      </div>
      <Suspense
        fallback={
          <div className="p-5">
            <Waiting what="the log" />
          </div>
        }
      >
        {part === "board" && <Board room={room} />}
        {part === "time" && <OverTime room={room} />}
        {part === "why" && <WhyOff room={room} />}
        {part === "tune" && <Tune room={room} />}
        {part === "images" && <Images />}
        {part === "list" && <List room={room} />}
      </Suspense>
    </div>
  );
}
