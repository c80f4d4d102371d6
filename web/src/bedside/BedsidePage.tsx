import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useSearchParams } from "react-router";

import client, { unwrap } from "../api/client";
import { useTitle } from "../ui/address";
import { usePreferences } from "../ui/preferences";
import { ShowOnly } from "../ui/ShowOnly";
import { fromCm, trimmed } from "../ui/units";
import { date, moment } from "../ui/words";
import { type BedsideChart, keep, keepPage, type Kept, keptCharts } from "./kept";

/**
 * The approved chart of a room, to be read at a bedside where there is no network: its lines over thickness as this device
 * kept them, with version and date. Nothing is worked out here and nothing is recorded; the Desk's numbers are the Desk's.
 */
export function BedsidePage() {
  useTitle("Bedside");
  const { room: preferred } = usePreferences();
  const [before] = useState(keptCharts);
  const [pageKept, setPageKept] = useState<boolean | null>(null);
  const [only, setOnly] = useState("");
  const [chosen, setChosen] = useState<string | null>(null);
  const [words] = useSearchParams();
  const room = chosen ?? words.get("room") ?? preferred ?? Object.keys(before)[0] ?? null;
  const fresh = useQuery({
    queryKey: ["bedside", room],
    queryFn: () =>
      unwrap<BedsideChart>(
        client.GET("/api/rooms/{room_id}/bedside", { params: { path: { room_id: room ?? "" } } }),
      ),
    enabled: room !== null,
    retry: false,
    // Without a network it is asked for all the same, and the refusal is the answer.
    networkMode: "always",
  });
  useEffect(() => {
    void keepPage().then(setPageKept);
  }, []);
  useEffect(() => {
    if (fresh.data) keep(fresh.data);
  }, [fresh.data]);
  const kept: Record<string, Kept> = fresh.data
    ? { ...before, [fresh.data.room]: { chart: fresh.data, at: "" } }
    : before;
  const shown = room ? kept[room] : undefined;
  const rooms = Object.values(kept).map(({ chart }) => chart);
  return (
    <main className="mx-auto w-full max-w-3xl px-4 py-4">
      <h1 className="text-lead">The chart at the bedside</h1>
      {rooms.length > 1 && (
        <p className="flex flex-wrap gap-3">
          {rooms.map((one) => (
            <button
              key={one.room}
              type="button"
              aria-pressed={one.room === room}
              className={`min-h-touch underline-offset-4 ${one.room === room ? "font-semibold underline" : ""}`}
              onClick={() => setChosen(one.room)}
            >
              {one.room_name}
            </button>
          ))}
        </p>
      )}
      {!shown ? (
        <p className="mt-3 text-ink-2">
          {fresh.isPending && room
            ? "Reading the chart…"
            : "No chart is kept on this device: open this page once where there is a network, with the room chosen."}
        </p>
      ) : (
        <Shown kept={shown} current={fresh.isSuccess} only={only} onOnly={setOnly} />
      )}
      <p className="mt-6 text-note text-ink-3">
        {pageKept === false
          ? "This page opens without a network only over TLS, or on the server's own machine. "
          : "This page opens without a network on this device. "}
        A starting point under local protocol, never an order.{" "}
        <Link className="underline" to="/desk">
          To the Desk
        </Link>
      </p>
    </main>
  );
}

function Shown({
  kept: { chart, at },
  current,
  only,
  onOnly,
}: {
  kept: Kept;
  current: boolean;
  only: string;
  onOnly: (text: string) => void;
}) {
  const wanted = only.trim().toLowerCase();
  const lines = chart.lines.filter((one) => `${one.exam} ${one.name}`.toLowerCase().includes(wanted));
  const overdue = chart.review_by !== "" && chart.review_by < new Date().toISOString().slice(0, 10);
  return (
    <>
      <p className={`mt-1 border-l-4 pl-3 ${current ? "border-rule" : "border-warn"}`} role="status">
        <b>
          {chart.room_name}, version {chart.version}
        </b>
        , approved {date(chart.approved_at)} by {chart.approver}.{" "}
        {current ? (
          "It is the one in use."
        ) : (
          <b className="text-warn">
            As kept on {moment(at)}: whether another is in use by now is not known here.
          </b>
        )}
        {overdue && <b className="text-warn"> It was to be looked at again by {date(chart.review_by)}.</b>}
      </p>
      <ShowOnly value={only} onChange={onOnly} />
      {lines.map((line, i) => (
        <section key={i} className="mt-4 border-t border-rule-strong pt-2">
          <h2 className="text-body">
            <b>{line.exam}</b> {line.name}
          </h2>
          <p className="text-note text-ink-2">
            {[line.conditions, line.control, line.receptor, line.target].filter(Boolean).join("; ")}
            {line.trust === "model" && <b className="text-warn"> No image stands behind it.</b>}
          </p>
          <ol className="mt-1 grid grid-cols-[repeat(auto-fill,minmax(9.5rem,1fr))] gap-x-4">
            {line.settings.map((one) => (
              <li key={one.thickness_cm} className="flex gap-2 border-b border-rule py-0.5">
                <span className="w-14 text-ink-3">
                  {trimmed(fromCm(one.thickness_cm, chart.unit), 1)} {chart.unit}
                </span>
                {one.kvp == null || one.mas == null ? (
                  <span className="text-ink-3">not here</span>
                ) : (
                  <b>
                    {trimmed(one.kvp, 1)} kVp {trimmed(one.mas, 2)} mAs
                  </b>
                )}
              </li>
            ))}
          </ol>
        </section>
      ))}
      {lines.length === 0 && <p className="mt-3 text-ink-3">No line of such a view.</p>}
    </>
  );
}
