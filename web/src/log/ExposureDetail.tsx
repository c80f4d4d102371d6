import { Dialog } from "radix-ui";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";

import { type Detail, useCloseIncident, useDetail, useIncident } from "../api/log";
import { type Room, useChoices, useMay, useProjections } from "../api/queries";
import { Button } from "../ui/Button";
import { Refusal, Waiting } from "../ui/Notice";
import { usePreferences } from "../ui/preferences";
import { TextField } from "../ui/TextField";
import { figure, fromCm, length, signed, trimmed } from "../ui/units";
import { grid, moment, projectionName, supportWords } from "../ui/words";

/** One exposure with everything known of it: what was suggested beside what was set, what was forecast beside what came. */
export function ExposureDetail({ id, room, onClose }: { id: number; room: Room; onClose: () => void }) {
  const detail = useDetail(id);
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed inset-y-0 right-0 z-50 flex w-full max-w-2xl flex-col gap-4 overflow-y-auto border-l border-rule-strong bg-raised p-5"
        >
          <div className="flex items-start justify-between gap-4">
            <Dialog.Title className="text-lead font-semibold">Exposure {id}</Dialog.Title>
            <Dialog.Close asChild>
              <Button tone="quiet">Close</Button>
            </Dialog.Close>
          </div>
          {detail.isError ? (
            <Refusal error={detail.error} />
          ) : !detail.data ? (
            <Waiting what="the exposure" />
          ) : (
            // What was begun of one exposure's note never stands at another's.
            <Known key={id} detail={detail.data} room={room} />
          )}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Other({ id, room }: { id: number; room: string }) {
  return (
    <Link className="underline" to={`?part=list&room=${room}&exposure=${id}`}>
      exposure {id}
    </Link>
  );
}

function Known({ detail, room }: { detail: Detail; room: Room }) {
  const { exposure: one, forecast } = detail;
  const { unit } = usePreferences();
  const projections = useProjections().data;
  const { reject_reasons: reasons } = useChoices().data ?? {};
  const entry = projections?.find((other) => other.id === one.projection);
  const receptor = room.receptors.find((other) => other.id === one.receptor)?.name ?? one.receptor;
  const from = (field: string) => one.sources?.[field];
  const kerma = one.incident_air_kerma_mgy;
  return (
    <>
      <p>
        <b>{projectionName(entry, one.projection)}</b>
        {one.side && `, ${one.side}`}, {moment(one.taken_at)}.{" "}
        {one.outcome === "rejected" ? "Rejected: " : ""}
        {one.outcome === "rejected"
          ? `${reasons?.[one.reject_reason ?? ""] ?? one.reject_reason ?? ""}.`
          : one.rejects_known
            ? "Accepted."
            : "Whether it was rejected is not known."}
        {detail.repeats && (
          <>
            {" "}
            It repeats <Other id={detail.repeats} room={one.room} />.
          </>
        )}
        {detail.repeated_by && (
          <>
            {" "}
            Repeated by <Other id={detail.repeated_by} room={one.room} />.
          </>
        )}
      </p>
      <table className="w-full">
        <thead className="text-left text-note text-ink-3">
          <tr className="border-b border-rule">
            <th className="py-1 font-normal" />
            <th className="py-1 font-normal">Suggested or forecast</th>
            <th className="py-1 font-normal">As it was</th>
            <th className="py-1 font-normal">From</th>
          </tr>
        </thead>
        <tbody>
          <Row
            name="kVp"
            before={one.suggested_kvp && trimmed(one.suggested_kvp, 1)}
            now={trimmed(one.kvp, 1)}
            from={from("kvp")}
          />
          <Row
            name="mAs"
            before={one.suggested_mas && trimmed(one.suggested_mas, 2)}
            now={trimmed(one.mas, 2)}
            from={from("mas")}
          />
          <Row
            name="Index"
            before={forecast?.ei && figure(forecast.ei)}
            now={one.ei == null ? "–" : figure(one.ei)}
            from={from("ei")}
          />
          <Row
            name="DI"
            before={
              forecast?.di_low != null && forecast.di_high != null
                ? `${signed(forecast.di)} (${signed(forecast.di_low)} to ${signed(forecast.di_high)})`
                : forecast && signed(forecast.di)
            }
            now={one.di == null ? "–" : `${signed(one.di)}${one.reliable ? "" : ", not reliable"}`}
            from={from("target_ei")}
          />
          <Row
            name="Skin kerma"
            before={forecast?.incident_air_kerma_mgy && `${figure(forecast.incident_air_kerma_mgy)} mGy`}
            now={kerma == null ? "–" : `${figure(kerma)} mGy`}
            from={
              one.reported_kerma_mgy == null
                ? undefined
                : `the machine says ${figure(one.reported_kerma_mgy)} mGy`
            }
          />
          <Row
            name="KAP"
            before={forecast?.kap_mgycm2 && `${figure(forecast.kap_mgycm2)} mGy·cm²`}
            now={one.kap_mgycm2 == null ? "–" : `${figure(one.kap_mgycm2)} mGy·cm²`}
            from={
              one.reported_kap_mgycm2 == null
                ? undefined
                : `the machine says ${figure(one.reported_kap_mgycm2)}`
            }
          />
          <Row
            name="Thickness"
            now={`${length(one.thickness_cm, unit)}, ${one.thickness_from}${one.thickness_spread_cm ? `, ±${one.thickness_spread_cm.toFixed(1)} cm` : ""}`}
            from={from("thickness_cm")}
          />
          <Row
            name="SID, grid"
            now={[
              one.sid_cm != null && `${trimmed(fromCm(one.sid_cm, unit), 1)} ${unit}`,
              one.grid_ratio != null && grid(one.grid_ratio).toLowerCase(),
              one.support && supportWords(one.support),
            ]
              .filter(Boolean)
              .join(", ")}
            from={from("sid_cm")}
          />
          <Row name="Receptor" now={receptor ?? "–"} from={from("receptor")} />
        </tbody>
      </table>
      {one.sources?.["left out"] && (
        <p className="text-ink-2">Left out of what its image says: {one.sources["left out"]}.</p>
      )}
      <p className="text-ink-2">
        {one.chart
          ? detail.line
            ? "Suggested from "
            : "No line of the chart held it: "
          : "No chart was in use then."}
        {one.chart && (
          <Link
            className="underline"
            to={`/charts?room=${one.room}&chart=${one.chart}${detail.line?.id ? `&line=${detail.line.id}` : ""}`}
          >
            version {one.chart_version}
          </Link>
        )}
        {detail.images > 0 && `. ${detail.images} ${detail.images === 1 ? "object" : "objects"} told of it.`}
      </p>
      {one.note && <p>Note: {one.note}</p>}
      <Incident detail={detail} />
      <section aria-label="History">
        <p className="label">History</p>
        {detail.history.map((change) => (
          <p key={change.id} className="text-note text-ink-2">
            {moment(change.at)} {WHAT[change.action] ?? change.action}
            {change.actor && `, ${change.actor}`}
          </p>
        ))}
        {detail.history.length === 0 && <p className="text-note text-ink-3">Taken in with others.</p>}
      </section>
    </>
  );
}

const WHAT: Record<string, string> = {
  "exposure.record": "recorded",
  "exposure.join": "joined with what its image says",
  "incident.note": "what happened was written down",
  "incident.close": "closed",
};

function Row({
  name,
  before,
  now,
  from,
}: {
  name: string;
  before?: ReactNode;
  now: ReactNode;
  from?: string | undefined;
}) {
  return (
    <tr className="border-b border-rule align-top">
      <th className="py-1 pr-3 text-left font-normal text-ink-3">{name}</th>
      <td className="py-1 pr-3 text-ink-2">{before ?? ""}</td>
      <td className="py-1 pr-3 font-semibold">{now}</td>
      <td className="py-1 text-note text-ink-3">{from ?? ""}</td>
    </tr>
  );
}

/** What happened with an exposure far too high, who was told, and what it was closed with. */
function Incident({ detail }: { detail: Detail }) {
  const { exposure: one, incident } = detail;
  const note = useIncident(one.id);
  const close = useCloseIncident(one.id);
  const mayWrite = useMay("technologist", "keeper", "physicist");
  const mayClose = useMay("keeper", "physicist");
  const [happened, setHappened] = useState("");
  const [told, setTold] = useState("");
  const [outcome, setOutcome] = useState("");
  if (!incident && !one.far_over) return null;
  return (
    <section aria-label="Incident note" className="flex flex-col gap-2 border-l-4 border-warn py-1 pl-3">
      <p className="font-semibold text-warn">Far over: {detail.far_over || "as it was noted then"}</p>
      {incident ? (
        <p>
          {incident.happened} Told: {incident.told}.{" "}
          <span className="text-note text-ink-3">
            {incident.by}, {moment(incident.at)}
          </span>
          {incident.closed_at && (
            <span className="block">
              Closed: {incident.outcome}{" "}
              <span className="text-note text-ink-3">
                {incident.closed_by}, {moment(incident.closed_at)}
              </span>
            </span>
          )}
        </p>
      ) : (
        mayWrite && (
          <>
            <TextField live id="happened" label="What happened" value={happened} onChange={setHappened} />
            <TextField live id="told" label="Who was told" value={told} onChange={setTold} />
            <Button
              className="self-start"
              disabled={!happened.trim() || !told.trim() || note.isPending}
              onClick={() => note.mutate({ happened: happened.trim(), told: told.trim() })}
            >
              Write it down
            </Button>
          </>
        )
      )}
      {incident && !incident.closed_at && mayClose && (
        <>
          <TextField live id="outcome" label="What it is closed with" value={outcome} onChange={setOutcome} />
          <Button
            className="self-start"
            disabled={!outcome.trim() || close.isPending}
            onClick={() => close.mutate(outcome.trim())}
          >
            Close it
          </Button>
        </>
      )}
      {(note.isError || close.isError) && <Refusal error={note.error ?? close.error} />}
    </section>
  );
}
