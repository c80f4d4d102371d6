import { useEffect, useState } from "react";

import type { Choices, TechniqueResponse } from "../../api/queries";
import { Button } from "../../ui/Button";
import { DiWedge } from "../../ui/DiWedge";
import { Refusal } from "../../ui/Notice";
import { NumberField } from "../../ui/NumberField";
import { Select } from "../../ui/Select";
import { figure, signed, trimmed } from "../../ui/units";
import { focusField, useKeys } from "../../ui/useKeys";
import { type DeskState } from "../state";
import { type Act } from "../useDesk";
import { HeldBy } from "./HeldBy";
import type { Judging } from "./useJudging";

interface Props {
  judging: Judging;
  answer: TechniqueResponse | undefined;
  choices: Choices | undefined;
  state: DeskState;
  act: Act;
  onBack: () => void;
}

/** After the exposure: the index first, the verdict at once, then the record. It stands where the set-up stood. */
export function ExposureMade({ judging, answer, choices, state, act, onBack }: Props) {
  const { entry, change, film, kvp, mas, judged, judgement, record, ready, whyNot, asked, save } = judging;
  const [rejecting, setRejecting] = useState(false);
  useEffect(() => focusField("result"), []);
  // Before the next key is pressed: a frame later, a quick Enter after "j" would go nowhere.
  useEffect(() => {
    if (rejecting) focusField("reject-reason");
  }, [rejecting]);
  useKeys([
    { keys: ["i"], shown: "i", does: "index or density", run: () => focusField("result") },
    { keys: ["f"], shown: "f", does: "simulated index (demo)", run: judging.fetchIndex },
    { keys: ["a"], shown: "a", does: "record as accepted", run: () => save("accepted") },
    {
      keys: ["j"],
      shown: "j",
      does: "record as rejected",
      run: () => {
        if (!ready) return;
        setRejecting(true);
        focusField("reject-reason");
      },
    },
    { keys: ["Escape"], shown: "Esc", does: "back to the set-up", always: true, run: onBack },
  ]);
  const shown = answer?.forecast.shown_index;
  const target = shown?.target ?? answer?.forecast.target_ei;
  return (
    <section aria-label="Exposure made" className="flex flex-col gap-2">
      <div className="flex items-center justify-between">
        <h2 className="text-body text-ink-2">Exposure made</h2>
        <Button tone="quiet" hint="Esc" className="-mr-2 px-2!" onClick={onBack}>
          Set-up
        </Button>
      </div>
      <div className="grid grid-cols-[1fr_auto] gap-2">
        <NumberField
          id="result"
          part="index"
          label={film ? "Density" : (shown?.name ?? "Index (EI)")}
          hint="i"
          value={entry.result}
          placeholder={film ? "1.20" : target ? `target ${figure(target)}` : ""}
          onChange={(value) => change({ result: value })}
          invalid={judgement.isError}
        />
        <Button
          tone="quiet"
          hint="f"
          className="px-2! text-note!"
          disabled={!answer}
          onClick={judging.fetchIndex}
        >
          Simulated
          <br />
          index (demo)
        </Button>
      </div>
      <div className="grid grid-cols-2 gap-2">
        <NumberField
          id="set-kvp"
          label="kVp really set"
          unit="kVp"
          value={entry.kvp}
          placeholder={kvp === null ? "" : trimmed(kvp, 1)}
          onChange={(value) => change({ kvp: value })}
        />
        <NumberField
          id="set-mas"
          label="mAs really set"
          unit="mAs"
          value={entry.mas}
          placeholder={mas === null ? "" : trimmed(mas, 2)}
          onChange={(value) => change({ mas: value })}
        />
      </div>
      {shown && (
        <p className="text-note text-ink-3">
          {judged?.ei != null && (
            <>
              Exposure index <b className="text-ink-2">{figure(judged.ei)}</b>.{" "}
            </>
          )}
          {shown.falls
            ? `On this console more exposure shows a lower ${shown.name}.`
            : `On this console more exposure shows a higher ${shown.name}.`}
        </p>
      )}
      <DiWedge di={judged?.evaluation.di ?? null} />
      <div aria-live="polite">
        {judgement.isError ? <Refusal error={judgement.error} /> : judged && <Verdict judging={judging} />}
      </div>
      {asked.map((text) => (
        <p key={text} role="alert" className="border-l-4 border-warn pl-2 font-semibold text-warn">
          {text} Press again if it is right.
        </p>
      ))}
      {record.isError && <Refusal error={record.error} />}
      {record.isSuccess ? (
        <p role="status" className="text-good">
          Recorded as {record.data.exposure.outcome}
          {record.data.exposure.di != null && `, DI ${signed(record.data.exposure.di)}`}.
        </p>
      ) : (
        <>
          <HeldBy who={state.held_by} expected={state.patient.cannot_keep_still === true} act={act} />
          <div className="grid grid-cols-2 gap-2">
            <Button
              tone="main"
              hint="a"
              data-part="record-accepted"
              className="min-h-11 px-1! whitespace-normal! leading-tight"
              disabled={!ready}
              onClick={() => save("accepted")}
            >
              Record as accepted
            </Button>
            <Button
              hint="j"
              data-part="record-rejected"
              className="min-h-11 px-1! whitespace-normal! leading-tight"
              aria-expanded={rejecting}
              disabled={!ready}
              onClick={() => setRejecting(!rejecting)}
            >
              Record as rejected
            </Button>
          </div>
          {answer && answer.thickness.source === "estimated" && (
            <p className="text-note text-warn">
              The thickness was not measured: it is kept as an estimate, and the chart does not learn from it.
            </p>
          )}
          {entry.result === null && ready && (
            <p className="text-note text-ink-3">Without an index it is kept as “no index”.</p>
          )}
          {rejecting && (
            <Select
              id="reject-reason"
              label="Why rejected"
              labelled
              value=""
              options={Object.entries(choices?.reject_reasons ?? {}).map(([value, label]) => ({
                value,
                label,
              }))}
              onChange={(reason) => save("rejected", reason)}
            />
          )}
          {whyNot && <p className="text-note text-warn">{whyNot}</p>}
        </>
      )}
    </section>
  );
}

function Verdict({ judging }: { judging: Judging }) {
  const evaluation = judging.judged?.evaluation;
  if (!evaluation) return null;
  const colour =
    evaluation.level === "on_target" || evaluation.level === "acceptable"
      ? "text-good"
      : evaluation.level === "over" || evaluation.level === "under"
        ? "text-warn"
        : "text-bad";
  return (
    <>
      <p>
        <b className={`text-lead ${evaluation.reliable ? colour : "text-warn"}`}>
          DI {signed(evaluation.di)} · {evaluation.verdict}
        </b>
      </p>
      <p className="text-ink-2">{evaluation.repeat_why}</p>
    </>
  );
}
