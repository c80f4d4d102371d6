import { Link } from "react-router";

import { type Board as BoardData, useBoard, useRepeats, type ViewOnBoard } from "../api/log";
import { type Projection, type Room, useChoices, useProjections, useRooms } from "../api/queries";
import { useAddress } from "../ui/address";
import { buttonClass } from "../ui/Button";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { Select } from "../ui/Select";
import { figure, signed } from "../ui/units";
import { moment, projectionName, ROLE } from "../ui/words";
import { Alerts } from "./Alerts";
import { PeriodFields, usePeriod } from "./period";
import { Middle, ShareSaid } from "./shares";

const ALL = "all";

/** What a period was like in a room, or in all: what moved first, then rejects, DI and dose view by view, worst first. */
export function Board({ room }: { room: Room }) {
  const { words, put } = useAddress();
  const { since, until } = usePeriod();
  const everywhere = words.get("of") === ALL;
  const board = useBoard({ room: everywhere ? "" : room.id, since, ...(until ? { until } : {}) });
  const rooms = useRooms();
  return (
    <>
      <div className="flex flex-wrap items-end gap-x-5 gap-y-2 border-b border-rule px-5 py-3">
        <Select
          label="Of"
          labelled
          className="w-52"
          value={everywhere ? ALL : "one"}
          options={[
            { value: "one", label: room.name },
            { value: ALL, label: `All ${rooms.data?.length ?? ""} rooms` },
          ]}
          onChange={(next) => put({ of: next === ALL ? ALL : null })}
        />
        <PeriodFields />
        <Report room={everywhere ? "" : room.id} />
      </div>
      {board.isError ? (
        <Refusal error={board.error} className="m-5" />
      ) : !board.data ? (
        <div className="p-5">
          <Waiting what="the board" />
        </div>
      ) : (
        <>
          {!everywhere && <Alerts room={room} />}
          <Figures data={board.data} room={everywhere ? "" : room.id} />
        </>
      )}
    </>
  );
}

/** The report of the last month that is over, for the quality meeting. */
function Report({ room }: { room: string }) {
  const now = new Date();
  const last = new Date(Date.UTC(now.getUTCFullYear(), now.getUTCMonth() - 1, 1));
  const month = last.toISOString().slice(0, 7);
  const query = `month=${month}&room=${encodeURIComponent(room)}`;
  return (
    <div className="ml-auto flex items-center gap-1">
      <span className="text-ink-2">
        Report of {last.toLocaleDateString("en-GB", { month: "long", timeZone: "UTC" })}
      </span>
      {(["pdf", "xlsx"] as const).map((kind) => (
        <a
          key={kind}
          className={buttonClass("quiet")}
          href={`/api/log/report/${kind}?${query}`}
          download={`log-${month}.${kind}`}
        >
          {kind.toUpperCase()}
        </a>
      ))}
    </div>
  );
}

/** The list with the exposures behind a number. */
const listOf = (data: BoardData, more: Record<string, string>) =>
  `?${new URLSearchParams({ part: "list", since: data.since, until: data.until, ...(data.room ? { room: data.room } : { of: ALL }), ...more }).toString()}`;

function Figures({ data, room }: { data: BoardData; room: string }) {
  const { board } = data;
  const projections = useProjections().data ?? [];
  const { reject_reasons: reasons } = useChoices().data ?? {};
  if (board.exposures === 0)
    return (
      <div className="p-5">
        <Empty title="No exposure in this period">Choose another period, or bring images in.</Empty>
      </div>
    );
  return (
    <div className="flex flex-col gap-6 px-5 py-4">
      <section aria-label="In all" className="flex flex-wrap gap-x-9 gap-y-3">
        <Figure name="Exposures">
          <Link className="underline decoration-rule-strong underline-offset-4" to={listOf(data, {})}>
            {board.exposures}
          </Link>
        </Figure>
        <Figure
          name="Rejected"
          note={
            board.said ||
            (board.rejects_known < board.exposures
              ? `of the ${board.rejects_known} of which it is known`
              : undefined)
          }
        >
          {board.rejects ? <ShareSaid share={board.rejects} /> : "not known"}
        </Figure>
        <Figure name="Within ±1 DI">
          <ShareSaid share={board.within} />
        </Figure>
        <div className="min-w-64">
          <p className="label">Why rejected</p>
          {board.by_reason.length === 0 ? (
            <p className="text-ink-3">–</p>
          ) : (
            <Reasons data={data} named={(code) => reasons?.[code] ?? code} />
          )}
        </div>
        {board.by_role.length > 1 && (
          <div>
            <p className="label">Rejected, by who recorded</p>
            {board.by_role.map(([role, share]) => (
              <p key={role}>
                <span className="inline-block w-28 text-ink-2">{ROLE[role]?.name ?? (role || "import")}</span>
                <ShareSaid share={share} />
              </p>
            ))}
          </div>
        )}
      </section>
      <RejectsCost data={data} />
      <Incidents data={data} projections={projections} />
      <Views data={data} room={room} projections={projections} />
    </div>
  );
}

function Figure({
  name,
  note,
  children,
}: {
  name: string;
  note?: string | undefined;
  children: React.ReactNode;
}) {
  return (
    <div className="max-w-56">
      <p className="label">{name}</p>
      <p className="text-lead font-semibold">{children}</p>
      {note && <p className="text-note text-warn">{note}</p>}
    </div>
  );
}

/** Reasons as bars, the commonest first. */
function Reasons({ data, named }: { data: BoardData; named: (code: string) => string }) {
  const most = Math.max(...data.board.by_reason.map(([, n]) => n));
  return (
    <ul>
      {data.board.by_reason.slice(0, 5).map(([code, n]) => (
        <li key={code} className="flex items-center gap-2">
          <Link
            className="w-52 truncate underline decoration-rule-strong underline-offset-4"
            to={listOf(data, { outcome: "rejected", reason: code })}
          >
            {named(code)}
          </Link>
          <span aria-hidden className="h-3 bg-ink-3" style={{ width: `${(72 * n) / most}px` }} />
          {n}
        </li>
      ))}
    </ul>
  );
}

/** What rejected images cost, and what the advice at Judge would have spared. */
function RejectsCost({ data }: { data: BoardData }) {
  const cost = useRepeats({ room: data.room, since: data.since, until: data.until });
  if (cost.isError) return <Refusal error={cost.error} />;
  if (!cost.data || cost.data.said.length === 0) return null;
  return (
    <section aria-label="What rejects cost">
      <p className="label">What rejects cost{cost.data.newest && `, the newest ${cost.data.newest}`}</p>
      <ul className="max-w-4xl text-ink-2">
        {cost.data.said.map((one) => (
          <li key={one}>{one}</li>
        ))}
      </ul>
    </section>
  );
}

function Incidents({ data, projections }: { data: BoardData; projections: Projection[] }) {
  const open = data.incidents.filter((one) => !one.note?.closed_at);
  if (open.length === 0) return null;
  return (
    <section aria-label="Far over" className="border-l-4 border-warn py-1 pl-3">
      <p className="font-semibold text-warn">
        {open.length} {open.length === 1 ? "exposure" : "exposures"} far over: what happened?
      </p>
      <ul className="flex flex-wrap gap-x-6">
        {open.slice(0, 6).map((one) => (
          <li key={one.exposure}>
            <Link
              className="inline-flex min-h-touch items-center underline decoration-rule-strong underline-offset-4"
              to={`?part=list&room=${one.room}&exposure=${one.exposure}`}
            >
              {moment(one.taken_at)},{" "}
              {projectionName(
                projections.find((other) => other.id === one.projection),
                one.projection,
              )}
              : {one.why}
            </Link>{" "}
            {one.note && <span className="text-note text-ink-3">written by {one.note.by}, open</span>}
          </li>
        ))}
      </ul>
    </section>
  );
}

function Views({ data, room, projections }: { data: BoardData; room: string; projections: Projection[] }) {
  return (
    <table className="w-full">
      <caption className="sr-only">View by view, the furthest off first</caption>
      <thead className="text-left text-note text-ink-3">
        <tr className="border-b border-rule-strong">
          <th className="py-1.5 font-normal">View, furthest off first</th>
          <th className="pr-4 text-right font-normal">Exposures</th>
          <th className="pr-4 font-normal">DI, −4 to +4</th>
          <th className="pr-4 font-normal">Median DI (quartiles)</th>
          <th className="pr-4 font-normal">Within ±1</th>
          <th className="pr-4 font-normal">Rejected</th>
          <th className="pr-4 font-normal">Skin kerma, mGy</th>
          <th className="font-normal">KAP, mGy·cm²</th>
        </tr>
      </thead>
      <tbody>
        {data.board.views.map((one) => {
          const entry = projections.find((other) => other.id === one.projection);
          const level = data.levels.find((other) => other.projection === one.projection)?.kerma_mgy;
          const high = level && one.kerma_mgy && one.kerma_mgy.median > level;
          return (
            <tr key={one.projection} className="border-b border-rule">
              <td className="py-1">
                <Link
                  className="inline-flex min-h-touch items-center underline decoration-rule-strong underline-offset-4"
                  to={listOf(data, { projection: one.projection })}
                >
                  {projectionName(entry, one.projection)}
                </Link>
              </td>
              <td className="pr-4 text-right">{one.made}</td>
              <td className="pr-4">
                <Histogram view={one} />
              </td>
              <td className="pr-4">
                {one.di && one.di.n < 5 ? (
                  <span className="text-ink-3">{one.di.n} only</span>
                ) : (
                  <Middle of={one.di} shown={(value) => signed(value)} />
                )}
              </td>
              <td className="pr-4">
                <ShareSaid share={one.within} />
              </td>
              <td className="pr-4">
                {one.rejects ? (
                  <ShareSaid share={one.rejects} />
                ) : (
                  <span className="text-ink-3">not known</span>
                )}
              </td>
              <td className="pr-4">
                <Middle of={one.kerma_mgy} />
                {level !== undefined && (
                  <span className={`block text-note ${high ? "text-warn" : "text-ink-3"}`}>
                    {high ? "over its" : ""} level {figure(level)}
                  </span>
                )}
              </td>
              <td>
                <Middle of={one.kap_mgycm2} />
              </td>
            </tr>
          );
        })}
      </tbody>
      <tfoot>
        <tr>
          <td colSpan={8} className="pt-2 text-note text-ink-3">
            In brackets: quartiles of a median; of a share what it may be, 95 in 100 sure. Levels are examples
            until the department sets its own.{" "}
            {room && (
              <Link className="underline" to={`?part=time&room=${room}`}>
                How it moved over time
              </Link>
            )}
          </td>
        </tr>
      </tfoot>
    </table>
  );
}

const BARS = 16;

/** How many images lie where on the scale of DI; the middle two of its bars either side are within ±1. */
function Histogram({ view }: { view: ViewOnBoard }) {
  const most = Math.max(...view.histogram, 1);
  const height = 28;
  return (
    <svg
      role="img"
      aria-label={`Deviation index of ${view.di?.n ?? 0} images from −4 to +4`}
      width={BARS * 8}
      height={height + 2}
      className="block"
    >
      <rect x={6 * 8} width={4 * 8} height={height} fill="var(--good)" opacity={0.16} />
      <line x1={8 * 8} x2={8 * 8} y1={0} y2={height} stroke="var(--rule-strong)" />
      {view.histogram.map((n, i) => (
        <rect
          key={i}
          x={i * 8 + 1}
          width={6}
          y={height - (height * n) / most}
          height={(height * n) / most}
          fill={i >= 6 && i < 10 ? "var(--ink-2)" : "var(--bad)"}
        />
      ))}
      <line x1={0} x2={BARS * 8} y1={height + 0.5} y2={height + 0.5} stroke="var(--rule-strong)" />
    </svg>
  );
}
