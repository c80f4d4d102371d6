import { useState } from "react";

import type { Schemas } from "../../api/client";
import type {
  ExposureRequest,
  Projection,
  Room,
  TechniqueRequest,
  TechniqueResponse,
} from "../../api/queries";
import { useJudgement, useMay, useReadOut, useRecord, useSession } from "../../api/queries";
import { forgetDrafts, useDraft } from "../../ui/drafts";

export type Finding = NonNullable<Schemas["ResultRequest"]["findings"]>[number];

/** What was really set and what came back, as typed; null where nothing was: the settings are then those that were shown. */
interface Entry {
  /** Of this one exposure, from when its judging opens: sent again under it, a record is the same row. */
  key: string;
  kvp: number | null;
  mas: number | null;
  result: number | null;
  findings: Finding[];
}

const blank = (): Entry => ({ key: aKey(), kvp: null, mas: null, result: null, findings: [] });

/** Browsers make UUIDs only over TLS, which not every department has. */
function aKey(): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(16)), (one) =>
    one.toString(16).padStart(2, "0"),
  ).join("");
}

/** For the next patient: nothing of the last one stays. */
export const forgetTyped = () => forgetDrafts("judging");

interface Props {
  room: Room;
  projection: Projection;
  /** The stop of the run sheet that is judged. */
  stop: number;
  request: TechniqueRequest;
  /** The technique of that request; undefined while there is none, and then nothing can be recorded. */
  answer: TechniqueResponse | undefined;
  /** The view was recorded as accepted. */
  done: boolean;
  /** A field of the judging is being typed into, or cannot be read: what would be kept is not what stands there. */
  unsettled: boolean;
  /** What goes into the record beside technique and image. */
  more: Pick<ExposureRequest, "study_key" | "side" | "attempt" | "held_by" | "note">;
  onAccepted: () => void;
  onRejected: () => void;
}

/** The judging of one exposure: what was typed, the judgement of it, and its recording. */
export function useJudging({
  room,
  projection,
  stop,
  request,
  answer,
  done,
  unsettled,
  more,
  onAccepted,
  onRejected,
}: Props) {
  const place = `judging ${room.id} ${stop} ${projection.id}`;
  const [typed, setEntry] = useDraft<Entry>(place, blank);
  // Metal that was said before the exposure is in the image too: the index does not speak for the part.
  const said = answer?.cautions.some((one) => one.cites === "metal") ?? false;
  const metal = said && !typed.findings.includes("metal");
  const entry: Entry = metal ? { ...typed, findings: [...typed.findings, "metal"] } : typed;
  const [confirmed, setConfirmed] = useState("");
  const record = useRecord();
  const readOut = useReadOut();
  const film = room.receptors.find((one) => one.id === answer?.technique.receptor)?.kind === "film_screen";
  const kvp = entry.kvp ?? answer?.technique.kvp ?? null;
  const mas = entry.mas ?? answer?.technique.mas ?? null;
  const result =
    entry.result === null
      ? {}
      : film
        ? { optical_density: entry.result }
        : // As it was read off the console, whose scale the room knows.
          answer?.forecast.shown_index
          ? { shown_index: entry.result }
          : { ei: entry.result };
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
          suggested_mas: answer.technique.mas,
          ...result,
        }
      : null,
  );
  const judged = entry.result === null ? undefined : judgement.data;
  // An unlikely index is asked back once: pressing again for the same numbers is the answer.
  const asks = judged?.asks ?? [];
  const asking = asks.join(" ");
  const { data: session } = useSession();
  const mayRecord = useMay("technologist", "keeper", "physicist");
  const whyNot =
    session?.person && !mayRecord
      ? `${session.person.name} may judge the image; a technologist records it.`
      : !answer
        ? "No technique is shown: nothing can be recorded."
        : unsettled
          ? "What stands in a field is not read yet."
          : done && !record.isSuccess
            ? "This view is recorded already: Views …, Another try."
            : entry.result !== null && !judged
              ? "The judgement is on its way."
              : null;
  const ready = whyNot === null && !record.isPending && !record.isSuccess;

  /** Records what was set and what came back; asked back first where that is unlikely. */
  function save(outcome: "accepted" | "rejected", reason?: string) {
    if (!ready || !answer || kvp === null || mas === null) return;
    if (asking !== "" && confirmed !== asking) {
      setConfirmed(asking);
      return;
    }
    record.mutate(
      {
        key: entry.key,
        body: {
          // Of the chart that was on screen: one that took its place meanwhile has other numbers.
          technique: { ...request, chart: answer.chart.id },
          kvp,
          mas,
          outcome,
          findings: entry.findings,
          ...more,
          ...result,
          ...(reason ? { reject_reason: reason } : {}),
        },
      },
      {
        onSuccess: () => {
          forgetDrafts(place);
          (outcome === "accepted" ? onAccepted : onRejected)();
        },
      },
    );
  }

  /** Another exposure of the view: what was typed of a recorded one makes room for it. */
  function begin() {
    if (done || !record.isSuccess) return;
    record.reset();
    setConfirmed("");
    setEntry(blank());
  }

  /** Asks the receptor (a simulated one) for the index of what was really set; under AEC the chamber sets the mAs. */
  function fetchIndex() {
    if (!answer) return;
    const byHand = answer.technique.exposure_control === "aec" ? {} : { kvp, mas };
    readOut.mutate(
      { ...request, setup: { ...request.setup, ...byHand } as NonNullable<TechniqueRequest["setup"]> },
      { onSuccess: (out) => setEntry({ ...typed, result: out.shown_index ?? out.optical_density ?? null }) },
    );
  }

  return {
    entry,
    change: (part: Partial<Entry>) => setEntry({ ...typed, ...part }),
    film,
    kvp,
    mas,
    judged,
    judgement,
    record,
    ready,
    whyNot,
    asked: asking !== "" && confirmed === asking ? asks : [],
    save,
    begin,
    fetchIndex,
  };
}

export type Judging = ReturnType<typeof useJudging>;
