import { Fragment, useState } from "react";
import { Link } from "react-router";

import { type Room, useChangeRoom, useMay, useNewRoom, useRooms } from "../api/queries";
import { nameOf, type RoomDue, useRoomsDue } from "../api/constancy";
import { NotYours } from "../people/NotYours";
import { useAddressWord, useChooseRoom, useTitle } from "../ui/address";
import { Button } from "../ui/Button";
import { useDraft } from "../ui/drafts";
import { Refusal } from "../ui/Notice";
import { Segmented } from "../ui/Segmented";
import { date, moment } from "../ui/words";
import { Calibration } from "./Calibration";
import { Constancy } from "./Constancy";
import { Equipment } from "./equipment/Equipment";
import { History } from "./History";
import { Programs } from "./Programs";

type Part = "equipment" | "calibration" | "constancy" | "programs" | "history";

/** Rooms: what a room has, how it was measured, and what changed. */
export function RoomsPage({ room }: { room: Room }) {
  const rooms = useRooms();
  const due = useRoomsDue();
  const here = due.data?.find((one) => one.room === room.id);
  const change = useChangeRoom();
  const add = useNewRoom();
  const [part, setPart] = useAddressWord("part", [
    "equipment",
    "calibration",
    "constancy",
    "programs",
    "history",
  ]);
  useTitle(`${room.name}, Rooms`);
  const chooseRoom = useChooseRoom();
  const [edited, setEdited] = useDraft<Room | null>(`equipment ${room.id}`, () => null);
  const [name, setName] = useState("");
  const mayChange = useMay("physicist");
  // What a physicist typed and did not save is no room of anybody else.
  const shown = mayChange ? (edited ?? room) : room;
  const dirty = edited !== null && JSON.stringify(edited) !== JSON.stringify(room);

  return (
    <div className="flex min-h-0 flex-1">
      <h1 className="sr-only">Rooms</h1>
      <nav aria-label="Rooms" className="flex w-44 shrink-0 flex-col gap-1 border-r border-rule px-2 py-4">
        <h2 className="px-2 text-body text-ink-2">Rooms</h2>
        <ol>
          {(rooms.data ?? []).map((one) => (
            <li key={one.id}>
              <button
                type="button"
                aria-current={one.id === room.id ? "true" : undefined}
                onClick={() => chooseRoom(one.id)}
                className={`min-h-11 w-full border-l-4 px-2 text-left break-words hover:bg-raised ${one.id === room.id ? "border-ink bg-raised font-semibold" : "border-transparent"}`}
              >
                {one.name}
                <Waits due={due.data?.find((each) => each.room === one.id)} />
              </button>
            </li>
          ))}
        </ol>
        {mayChange ? (
          <form
            className="mt-3 flex flex-col gap-2 border-t border-rule px-2 pt-3"
            onSubmit={(event) => {
              event.preventDefault();
              add.mutate(
                { name, like: room.id },
                {
                  onSuccess: (made) => {
                    setName("");
                    chooseRoom(made.id);
                  },
                },
              );
            }}
          >
            <label className="label" htmlFor="new-room">
              New room, like this one
            </label>
            <input
              id="new-room"
              value={name}
              maxLength={80}
              onChange={(event) => setName(event.currentTarget.value)}
              className="min-h-touch w-full rounded-sm border border-rule-strong bg-transparent px-2"
            />
            <Button type="submit" disabled={name.trim() === "" || add.isPending}>
              Add room
            </Button>
            {add.isError && <Refusal error={add.error} />}
            <Link
              className="inline-flex min-h-touch items-center underline underline-offset-2"
              to="/setup?step=room"
            >
              From a template or a file
            </Link>
          </form>
        ) : (
          <div className="mt-3 border-t border-rule px-2 pt-3">
            <NotYours whoDoes="A physicist adds, changes and calibrates rooms." toDo="to change a room" />
          </div>
        )}
      </nav>
      <div className="min-w-0 flex-1">
        <header className="flex flex-wrap items-center gap-x-6 gap-y-1 border-b border-rule px-5 py-2">
          <div className="min-w-0">
            <h2 className="text-lead break-words">{room.name}</h2>
            <p className="text-note text-ink-3">
              {room.calibration
                ? `calibrated ${moment(room.calibration.at)} from ${room.calibration.output_points} readings; largest residual ${room.calibration.largest_residual_percent.toFixed(1)} %`
                : room.typical_output
                  ? "output not read: typical values, dose figures are estimates"
                  : "not calibrated here: outputs as first entered"}
            </p>
            {here && <Overdue due={here} />}
          </div>
          <Segmented
            label="Part"
            value={part}
            options={[
              { value: "equipment", label: "Equipment" },
              { value: "calibration", label: "Calibration" },
              { value: "constancy", label: "Constancy" },
              { value: "programs", label: "Programs" },
              { value: "history", label: "History" },
            ]}
            onChange={(next) => setPart(next as Part)}
          />
          {part === "equipment" && mayChange && (
            <div className="ml-auto flex items-center gap-2">
              {dirty && (
                <Button tone="quiet" onClick={() => setEdited(null)}>
                  Undo changes
                </Button>
              )}
              <Button
                tone="main"
                disabled={!dirty || change.isPending}
                onClick={() =>
                  change.mutate(shown, {
                    // What was changed while the room was being saved stays, on the revision that now is.
                    onSuccess: (saved) =>
                      setEdited((now) =>
                        now === null || now === shown ? null : { ...now, revision: saved.revision ?? 1 },
                      ),
                  })
                }
              >
                Save equipment
              </Button>
            </div>
          )}
        </header>
        {part === "equipment" && (
          <>
            {change.isError && dirty && <Refusal error={change.error} className="mx-5 mt-3" />}
            <fieldset disabled={!mayChange} className="min-w-0">
              <Equipment room={shown} onChange={setEdited} />
            </fieldset>
            <p className="flex flex-wrap gap-x-5 px-5 pb-6 text-ink-2">
              As saved, to a file:
              {[
                ["JSON", "", "json"],
                ["workbook", "/xlsx", "xlsx"],
              ].map(([what, path, ending]) => (
                <a
                  key={what}
                  className="inline-flex min-h-touch items-center underline"
                  href={`/api/rooms/${room.id}${path}`}
                  download={`room-${room.id}.${ending}`}
                >
                  {what}
                </a>
              ))}
            </p>
          </>
        )}
        {part === "calibration" && (
          <fieldset disabled={!mayChange} className="min-w-0">
            <Calibration room={room} />
          </fieldset>
        )}
        {part === "programs" && <Programs room={room} />}
        {part === "constancy" && <Constancy key={room.id} room={room} />}
        {part === "history" && (
          <History
            room={room}
            onPutBack={
              mayChange
                ? (before) => {
                    setEdited({ ...room, ...before });
                    setPart("equipment");
                  }
                : null
            }
          />
        )}
      </div>
    </div>
  );
}

/** Beside a room's name: that something there waits. */
function Waits({ due }: { due: RoomDue | undefined }) {
  const late = (due?.overdue.length ?? 0) + (due?.calibration_overdue ? 1 : 0);
  const failed = due?.failed.length ?? 0;
  if (late + failed === 0) return null;
  const says = [failed > 0 && `${failed} failed`, late > 0 && `${late} overdue`].filter(Boolean).join(", ");
  return (
    <span className={`block text-note font-normal ${failed > 0 ? "text-bad" : "text-warn"}`}>{says}</span>
  );
}

const MOST_NAMED = 3;

/** Under the room's name: what failed and what is overdue, by name, with the way there. */
function Overdue({ due }: { due: RoomDue }) {
  const { calibration_due_on: day, calibration_overdue: late, overdue, failed } = due;
  return (
    <>
      {day && (
        <p className={`text-note ${late ? "font-semibold text-warn" : "text-ink-3"}`}>
          {late ? `Calibration overdue since ${date(day)}` : `next calibration ${date(day)}`}
        </p>
      )}
      {(["failed", "overdue"] as const).map((how) => {
        const tests = how === "failed" ? failed : overdue;
        return (
          tests.length > 0 && (
            <p key={how} className={`text-note font-semibold ${how === "failed" ? "text-bad" : "text-warn"}`}>
              {how === "failed" ? "Failed" : "Overdue"}:{" "}
              {tests.slice(0, MOST_NAMED).map((one, i) => (
                <Fragment key={nameOf(one)}>
                  {i > 0 && ", "}
                  <Link
                    className="underline underline-offset-2"
                    to={`/rooms?${new URLSearchParams({ room: due.room, part: "constancy", test: nameOf(one) }).toString()}`}
                  >
                    {one.name}
                  </Link>
                </Fragment>
              ))}
              {tests.length > MOST_NAMED && ` and ${tests.length - MOST_NAMED} more`}
            </p>
          )
        );
      })}
    </>
  );
}
