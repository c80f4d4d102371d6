import { ToggleGroup } from "radix-ui";
import { Fragment, useEffect, useState } from "react";

import type {
  Choices,
  Exposure,
  Projection,
  Room,
  TechniqueRequest,
  TechniqueResponse,
} from "../../api/queries";
import { useExposures, useJudgement, useReadOut, useRecord, useUndo } from "../../api/queries";
import { Button } from "../../ui/Button";
import { DiWedge } from "../../ui/DiWedge";
import { Refusal } from "../../ui/Notice";
import { NumberField } from "../../ui/NumberField";
import { Select } from "../../ui/Select";
import { figure, signed, trimmed } from "../../ui/units";
import { focusField, useKeys } from "../../ui/useKeys";
import { moment, projectionName } from "../../ui/words";
import type { Schemas } from "../../api/client";

type Finding = NonNullable<Schemas["ResultRequest"]["findings"]>[number];

interface Props {
  room: Room;
  projection: Projection;
  projections: Projection[];
  request: TechniqueRequest;
  answer: TechniqueResponse | undefined;
  choices: Choices | undefined;
  measured: boolean;
  study: string;
  onDone: () => void;
  onNext: (() => void) | null;
}

/** What was really set and what came back; the judgement as soon as a number stands there; then accept or reject. */
interface Entry {
  kvp: number | null;
  mas: number | null;
  result: number | null;
  findings: Finding[];
}

const BLANK: Entry = { kvp: null, mas: null, result: null, findings: [] };

/** What was typed when somebody had to sign in first, by room and view: it stands in the fields when they come back. */
const waiting = new Map<string, Entry>();

export function Judge({
  room,
  projection,
  projections,
  request,
  answer,
  choices,
  measured,
  study,
  onDone,
  onNext,
}: Props) {
  const place = `${room.id} ${projection.id}`;
  const [entry, setEntry] = useState<Entry>(() => waiting.get(place) ?? BLANK);
  useEffect(() => void waiting.delete(place), [place]);
  const [kept, setKept] = useState<Entry>(BLANK);
  const [rejecting, setRejecting] = useState(false);
  const record = useRecord();
  const undo = useUndo();
  const readOut = useReadOut();
  const last = useExposures({ room: room.id }, 1).data?.[0];

  const receptor = room.receptors.find((one) => one.id === answer?.technique.receptor);
  const film = receptor?.kind === "film_screen";
  const kvp = entry.kvp ?? answer?.technique.kvp ?? null;
  const mas = entry.mas ?? answer?.technique.mas ?? null;
  const result = entry.result === null ? {} : film ? { optical_density: entry.result } : { ei: entry.result };
  const judgement = useJudgement(
    answer && entry.result !== null && kvp !== null && mas !== null
      ? {
          room: room.id,
          projection: projection.id,
          receptor: answer.technique.receptor,
          kvp,
          mas,
          exposure_control: answer.technique.exposure_control,
          target_ei: answer.forecast.target_ei ?? null,
          findings: entry.findings,
          ...result,
        }
      : null,
  );
  const judged = entry.result === null ? undefined : judgement.data;

  const ready = answer !== undefined && measured && kvp !== null && mas !== null;
  const whyNot = !answer ? "No technique to record." : !measured ? "Measure the thickness first." : null;

  function save(outcome: "accepted" | "rejected", reason?: string) {
    if (!ready || record.isPending) return;
    record.mutate(
      {
        technique: request,
        kvp,
        mas,
        outcome,
        findings: entry.findings,
        study_key: study,
        note: "",
        ...result,
        ...(reason ? { reject_reason: reason } : {}),
      },
      {
        onSuccess: () => {
          setKept(entry);
          setEntry(BLANK);
          setRejecting(false);
          undo.reset();
          if (outcome === "accepted") onDone();
        },
        onError: (error) => error.problem.status === 401 && waiting.set(place, entry),
      },
    );
  }

  /** Asks the receptor (a simulated one) for the index of the exposure just made. */
  function fetchIndex() {
    if (!answer) return;
    readOut.mutate(request, {
      onSuccess: (out) => setEntry({ ...entry, result: out.ei ?? out.optical_density ?? null }),
    });
  }

  function takeBack(exposure: Exposure) {
    undo.mutate(exposure.id, {
      onSuccess: () => {
        record.reset();
        setEntry(kept);
      },
    });
  }

  useKeys([
    { keys: ["i"], shown: "i", does: "index or density", run: () => focusField("result") },
    { keys: ["f"], shown: "f", does: "simulated index (demo)", run: fetchIndex },
    {
      keys: ["n"],
      shown: "n",
      does: "next view",
      run: () => onNext?.(),
    },
    { keys: ["a"], shown: "a", does: "accept", run: () => save("accepted") },
    {
      keys: ["j"],
      shown: "j",
      does: "reject",
      run: () => {
        if (!ready) return;
        setRejecting(true);
        requestAnimationFrame(() => focusField("reject-reason"));
      },
    },
    { keys: ["u"], shown: "u", does: "undo", run: () => last && takeBack(last) },
  ]);

  const done = record.data?.exposure;
  return (
    <section
      aria-label="Judge"
      className="sticky bottom-0 z-10 border-t-2 border-rule-strong bg-raised px-5 pt-2 pb-3"
    >
      <div className="grid grid-cols-[16rem_minmax(0,1.5fr)_minmax(0,1fr)] gap-5">
        <div>
          <div className="mb-1 flex items-center justify-between">
            <h2 className="text-body whitespace-nowrap text-ink-2">Exposure made</h2>
            <Button
              tone="quiet"
              hint="f"
              className="-my-1 gap-1! px-1! text-note!"
              disabled={!answer}
              onClick={fetchIndex}
            >
              Simulated index (demo)
            </Button>
          </div>
          <div className="grid grid-cols-[4rem_4.4rem_1fr] gap-2">
            <NumberField
              id="set-kvp"
              label="kVp"
              value={entry.kvp}
              placeholder={kvp === null ? "" : trimmed(kvp, 1)}
              onChange={(value) => setEntry({ ...entry, kvp: value })}
            />
            <NumberField
              id="set-mas"
              label="mAs"
              value={entry.mas}
              placeholder={mas === null ? "" : trimmed(mas, 2)}
              onChange={(value) => setEntry({ ...entry, mas: value })}
            />
            <NumberField
              id="result"
              label={film ? "Density" : "Index (EI)"}
              hint="i"
              value={entry.result}
              placeholder={
                film
                  ? "1.20"
                  : answer?.forecast.target_ei
                    ? `${figure(answer.forecast.target_ei)} target`
                    : ""
              }
              onChange={(value) => setEntry({ ...entry, result: value })}
              invalid={judgement.isError}
            />
          </div>
          <div className="mt-2 flex gap-2">
            <Button
              tone="beam"
              hint="a"
              className="flex-1"
              disabled={!ready || record.isPending}
              onClick={() => save("accepted")}
            >
              Accept
            </Button>
            <Button
              hint="j"
              className="flex-1"
              aria-expanded={rejecting}
              disabled={!ready}
              onClick={() => setRejecting(!rejecting)}
            >
              Reject
            </Button>
          </div>
          {rejecting && (
            <Select
              id="reject-reason"
              label="Why rejected"
              labelled
              className="mt-2"
              value=""
              options={Object.entries(choices?.reject_reasons ?? {}).map(([value, label]) => ({
                value,
                label,
              }))}
              onChange={(reason) => save("rejected", reason)}
            />
          )}
          {whyNot && <p className="mt-1 text-note text-warn">{whyNot}</p>}
        </div>

        <div className="min-w-0">
          <h2 className="mb-1 text-body text-ink-2">Image critique</h2>
          <ToggleGroup.Root
            type="multiple"
            aria-label="Image critique"
            className="flex flex-wrap items-center gap-1"
            value={entry.findings}
            onValueChange={(findings) => setEntry({ ...entry, findings: findings as Finding[] })}
          >
            {(choices?.questions ?? []).map(([question, keys], i) => (
              <Fragment key={question}>
                {i > 0 && <span aria-hidden className="mx-1 h-6 w-px bg-rule-strong" />}
                {keys.map((id) => (
                  <ToggleGroup.Item
                    key={id}
                    value={id}
                    title={question}
                    className="min-h-10 rounded-sm border border-rule px-1.5 text-note text-ink-2 hover:border-ink-2 data-[state=on]:border-beam data-[state=on]:bg-beam-soft data-[state=on]:text-ink"
                  >
                    {choices?.findings[id] ?? id}
                  </ToggleGroup.Item>
                ))}
              </Fragment>
            ))}
          </ToggleGroup.Root>
          {judged && judged.evaluation.check_first.length > 0 && (
            <div className="mt-2 text-note text-ink-2">
              <h3 className="text-ink">Check first</h3>
              <ol className="ml-5 list-decimal">
                {judged.evaluation.check_first.map((text) => (
                  <li key={text}>{text}</li>
                ))}
              </ol>
            </div>
          )}
        </div>

        <div className="min-w-0">
          <DiWedge di={judged?.evaluation.di ?? null} />
          <div aria-live="polite" className="mt-1">
            {record.isError && <Refusal error={record.error} className="mb-1" />}
            {judgement.isError ? (
              <Refusal error={judgement.error} />
            ) : judged ? (
              <Verdict judged={judged} />
            ) : record.isError ? null : undo.isError ? (
              <Refusal error={undo.error} />
            ) : (
              <p className="text-ink-3">
                Enter the {film ? "density" : "index"}: the judgement appears here before anything is kept.
              </p>
            )}
          </div>
          {undo.isSuccess && (
            <p role="status" className="mt-1 text-good">
              Taken back:{" "}
              {projectionName(
                projections.find((one) => one.id === undo.data.projection),
                undo.data.projection,
              )}
              . Its numbers stand in the fields again.
            </p>
          )}
          {!judged && last && (
            <div className="mt-1 flex flex-wrap items-center gap-x-3">
              <span className={done ? "text-ink" : "text-ink-3"}>
                {done ? "Recorded" : "Last record"}:{" "}
                {projectionName(
                  projections.find((one) => one.id === last.projection),
                  last.projection,
                )}
                {last.di != null && `, DI ${signed(last.di)}`}, {last.outcome}
                {!done && `, ${moment(last.taken_at)}`}
              </span>
              <Button
                tone="plain"
                hint="u"
                className="-order-1"
                disabled={undo.isPending}
                onClick={() => takeBack(last)}
              >
                Undo
              </Button>
              {done && onNext && (
                <Button hint="n" onClick={onNext}>
                  Next view
                </Button>
              )}
            </div>
          )}
        </div>
      </div>
    </section>
  );
}

function Verdict({ judged }: { judged: Schemas["Judgement"] }) {
  const { evaluation, corrected } = judged;
  const colour =
    evaluation.level === "on_target" || evaluation.level === "acceptable"
      ? "text-good"
      : evaluation.level === "over" || evaluation.level === "under"
        ? "text-warn"
        : "text-bad";
  return (
    <div>
      <p>
        <b className={`text-lead ${evaluation.reliable ? colour : "text-warn"}`}>
          DI {signed(evaluation.di)} · {evaluation.verdict}
        </b>
      </p>
      <p>{evaluation.repeat_why}</p>
      <p className="text-ink-2">{evaluation.change_why}</p>
      {corrected && evaluation.change !== "none" && (
        <p data-testid="corrected">
          For a repeat or the next patient:{" "}
          <b>
            {trimmed(corrected.kvp, 1)} kVp, {trimmed(corrected.mas, 2)} mAs
          </b>{" "}
          <span className="text-ink-2">
            ({trimmed(corrected.ma, 1)} mA, {trimmed(corrected.time_ms, 2)} ms; exactly{" "}
            {figure(corrected.exact_mas)})
          </span>
        </p>
      )}
      {judged.correction_refused && <p className="text-warn">{judged.correction_refused}</p>}
    </div>
  );
}
