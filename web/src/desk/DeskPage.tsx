import { useEffect, useRef } from "react";

import type { Exam, Projection, Room } from "../api/queries";
import { useCharted, useExams, useProjections, useSession } from "../api/queries";
import { Button } from "../ui/Button";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { useTitle } from "../ui/address";
import { focusField, useKeys } from "../ui/useKeys";
import { ExamInHand, useOpenPanels } from "./ExamInHand";
import { Nobody } from "./exam/Nobody";
import { forgetTyped } from "./review/useJudging";
import { useDesk } from "./useDesk";
import { useDeskAddress } from "./useDeskAddress";
import { useLeftAlone } from "./useLeftAlone";

/** The Desk of a room whose chart is approved. */
export function DeskPage({ room }: { room: Room }) {
  const projections = useProjections();
  const exams = useExams();
  const charted = useCharted({ room: room.id });
  const failed = projections.error ?? exams.error ?? charted.error;
  if (failed) return <Refusal error={failed} className="m-6" />;
  if (!projections.data || !exams.data || !charted.data)
    return (
      <div className="p-6">
        <Waiting what="the chart" />
      </div>
    );
  const lines = charted.data[room.id];
  if (!lines)
    return (
      <div className="p-6">
        <Empty title={`${room.name} has no approved chart`}>
          The Desk answers from an approved chart only. Build or import one in Charts, then approve it.
        </Empty>
      </div>
    );
  return <Desk room={room} projections={projections.data} exams={exams.data} charted={new Set(lines)} />;
}

interface Props {
  room: Room;
  projections: Projection[];
  exams: Exam[];
  charted: Set<string>;
}

/** The Desk: nobody chosen, or an exam in hand. Another person at the console starts with nobody. */
function Desk({ room, projections, exams, charted }: Props) {
  const desk = useDesk(room, projections);
  const { act, now, projection, request } = desk;
  useDeskAddress(desk.state, exams, projections, act);
  useTitle(projection ? `${projection.exam} ${projection.name}, Desk` : "Desk");
  const { data: session } = useSession();
  const who = session?.person?.id;
  const name = session?.person?.name;
  const before = useRef(who);
  const lost = desk.state.unrecorded === null ? "" : " An exposure of it was not recorded.";
  useEffect(() => {
    if (who && before.current && who !== before.current)
      act({
        do: "next-patient",
        why: `${name} is at this console now: the exam in hand was put away.${lost}`,
      });
    if (who) before.current = who;
  }, [act, who, name, lost]);
  useEffect(() => {
    if (!now) forgetTyped();
  }, [now]);
  const [alone, back] = useLeftAlone();
  const panels = useOpenPanels();
  useKeys([
    { keys: ["e"], shown: "e", does: "exam", run: () => focusField("exam") },
    {
      keys: ["q"],
      shown: "q",
      does: "next patient",
      run: () => now && act({ do: "next-patient" }),
    },
  ]);
  if (alone && now)
    return (
      <div className="p-6">
        <Empty title="This console was left alone">
          <p>The numbers of the exam in hand are put away. They are still those of the same patient.</p>
          <div className="mt-3 flex gap-2">
            <Button tone="main" onClick={back}>
              Go on with this patient
            </Button>
            <Button
              onClick={() => {
                act({ do: "next-patient" });
                back();
              }}
            >
              Next patient
            </Button>
          </div>
        </Empty>
      </div>
    );
  if (!projection || !request || !now)
    return <Nobody {...{ room, exams, charted, act }} putAway={desk.state.putAway} />;
  return (
    <ExamInHand
      key={now.key}
      panels={panels}
      room={room}
      projections={projections}
      exams={exams}
      charted={charted}
      {...{ state: desk.state, act, now, projection, request }}
      asked={desk.asked}
      stay={desk.stay}
    />
  );
}
