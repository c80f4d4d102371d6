import { Link } from "react-router";

import { useAgreement, useApprove } from "../api/bench";
import { type RoomSummary, useMay, useRooms, useSession, useVersions, type Version } from "../api/queries";
import { type Department, useDraftFromModel } from "../api/setup";
import { Propose } from "../charts/versions/Propose";
import { NotYours } from "../people/NotYours";
import { Button } from "../ui/Button";
import { Refusal, Waiting } from "../ui/Notice";

const LINK = "inline-flex min-h-touch items-center underline";

/** A room's first chart: by the physics model at once, from test exposures, or from the file that the department has. */
export function ChartStep({ department }: { department: Department }) {
  const rooms = useRooms();
  const mayDraft = useMay("keeper", "physicist");
  if (!rooms.data) return <Waiting what="the rooms" />;
  if (rooms.data.length === 0)
    return <p className="mt-3 text-ink-2">A chart is a room&apos;s: add a room first.</p>;
  if (!mayDraft) return <NotYours whoDoes="A chart keeper drafts charts." toDo="to draft a chart" />;
  return (
    <div className="mt-3 flex flex-col gap-5">
      {rooms.data.map((room) => (
        <ChartOf key={room.id} room={room} department={department} />
      ))}
    </div>
  );
}

function ChartOf({ room, department }: { room: RoomSummary; department: Department }) {
  const charts = useVersions(room.id);
  const draft = useDraftFromModel();
  const newest = charts.data?.[0];
  return (
    <section aria-label={room.name}>
      <h3 className="text-body">{room.name}</h3>
      {newest && (
        <p className="text-ink-2">
          Version {newest.version}, {newest.status}: {newest.line_count} lines.{" "}
          <Link className={LINK} to={`/charts?room=${room.id}`}>
            Look at it
          </Link>
        </p>
      )}
      {charts.data?.length === 0 && (
        <ul className="mt-1 max-w-3xl border-t border-rule">
          <Way
            says="From the physics model"
            more="Every view that the room can do, in a few seconds. No image stands behind it: each line says so until one does."
          >
            <Button
              tone="main"
              disabled={draft.isPending}
              onClick={() =>
                draft.mutate({
                  room: room.id,
                  body: { name: `${room.name} chart`, system: department.system ?? "levelled" },
                })
              }
            >
              {draft.isPending ? "Drafting…" : "Draft it"}
            </Button>
          </Way>
          <Way
            says="From test exposures"
            more="Four exposures of a phantom, or of patients whose images were accepted, tie the model to the room."
          >
            <Link className={LINK} to={`/charts?room=${room.id}&do=build`}>
              Enter exposures
            </Link>
          </Way>
          <Way
            says="From your own chart"
            more="A spreadsheet or a text file: what is not clear in it is asked."
          >
            <Link className={LINK} to={`/charts?room=${room.id}&do=import`}>
              Import a file
            </Link>
          </Way>
        </ul>
      )}
      {draft.isError && <Refusal error={draft.error} className="mt-2" />}
    </section>
  );
}

function Way({ says, more, children }: { says: string; more: string; children: React.ReactNode }) {
  return (
    <li className="flex items-center gap-4 border-b border-rule py-2">
      <span className="min-w-0 flex-1">
        <b className="font-semibold">{says}</b>
        <span className="block text-note text-ink-2">{more}</span>
      </span>
      {children}
    </li>
  );
}

/** Drafts are proposed and approved; who approves is another than who wrote, where the department wants that. */
export function ApprovalStep() {
  const rooms = useRooms();
  if (!rooms.data) return <Waiting what="the rooms" />;
  return (
    <div className="mt-3 flex flex-col gap-5">
      {rooms.data.map((room) => (
        <ApprovalsOf key={room.id} room={room} />
      ))}
      {rooms.data.length === 0 && <p className="text-ink-2">There is no room yet, and so no chart.</p>}
    </div>
  );
}

function ApprovalsOf({ room }: { room: RoomSummary }) {
  const charts = useVersions(room.id);
  if (charts.isError) return <Refusal error={charts.error} />;
  if (!charts.data) return <Waiting what={`the charts of ${room.name}`} />;
  const open = charts.data.filter((one) => one.status === "draft" || one.status === "proposed");
  const approved = charts.data.find((one) => one.status === "approved");
  return (
    <>
      {approved && (
        <p className="text-good">
          {room.name}: version {approved.version} is approved by {approved.approver}.
        </p>
      )}
      {charts.data.length === 0 && <p className="text-ink-2">{room.name} has no chart yet.</p>}
      {open.map((chart) => (
        <ApprovalOf key={chart.id} chart={chart} room={room} />
      ))}
    </>
  );
}

function ApprovalOf({ chart, room }: { chart: Version; room: RoomSummary }) {
  const { data: session } = useSession();
  const agreement = useAgreement();
  const approve = useApprove();
  const mayApprove = useMay("physicist");
  const mayPropose = useMay("keeper", "physicist");
  const own = session?.person?.id === chart.author && agreement.data?.another_approves;
  return (
    <section aria-label={chart.name} className="pb-3">
      <h3 className="text-body">
        {room.name}: {chart.name}, version {chart.version}
      </h3>
      <p className="text-ink-2">
        {chart.line_count} lines by {chart.author}, {chart.status}.{" "}
        <Link className={LINK} to={`/charts?room=${chart.room}`}>
          Look at it first
        </Link>
      </p>
      <div className="flex flex-wrap items-center gap-3">
        {chart.status === "draft" && mayPropose && <Propose chart={chart} lines={chart.line_count} />}
        {chart.status === "proposed" &&
          (mayApprove && !own ? (
            <Button tone="main" disabled={approve.isPending} onClick={() => approve.mutate(chart.id)}>
              Approve version {chart.version}
            </Button>
          ) : (
            <p>
              {own ? "You wrote it: another physicist approves it. " : "A physicist approves it. "}
              <Link className={LINK} to={`/sign-in?back=${encodeURIComponent("/setup?step=approval")}`}>
                Hand the console over
              </Link>
            </p>
          ))}
      </div>
      {approve.isError && <Refusal error={approve.error} className="mt-2" />}
    </section>
  );
}

export function DeskStep({ ready }: { ready: boolean }) {
  return (
    <p className="mt-3 max-w-prose text-ink-2">
      {ready
        ? "The Desk works by the approved chart: choose an exam, measure, set what it says, judge the image. "
        : "The Desk has no numbers before a chart is approved. "}
      {ready && (
        <Link className={`${LINK} font-semibold text-ink`} to="/desk">
          To the Desk
        </Link>
      )}
    </p>
  );
}
