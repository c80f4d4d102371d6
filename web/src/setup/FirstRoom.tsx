import { useState } from "react";
import { Link } from "react-router";

import { type Room, useMay, useNewRoom, useRooms } from "../api/queries";
import { useRoomFromFile, useRoomFromWorkbook, useRoomTemplates } from "../api/setup";
import { NotYours } from "../people/NotYours";
import { base64 } from "../ui/base64";
import { Button } from "../ui/Button";
import { FileButton } from "../ui/FileButton";
import { Refusal, Waiting } from "../ui/Notice";
import { prefer } from "../ui/preferences";
import { TextField } from "../ui/TextField";

/** A room: from one of the templates, or from a file that another Oakbeam wrote. */
export function RoomStep({ onDone }: { onDone: () => void }) {
  const mayAdd = useMay("physicist");
  const rooms = useRooms();
  const templates = useRoomTemplates();
  const add = useNewRoom();
  const take = useRoomFromFile();
  const takeBook = useRoomFromWorkbook();
  const [template, setTemplate] = useState("fixed-dr");
  const [name, setName] = useState("");
  const [unread, setUnread] = useState("");
  if (!mayAdd) return <NotYours whoDoes="A physicist adds rooms." toDo="to add a room" />;
  const made = (room: Room) => {
    prefer({ room: room.id });
    onDone();
  };
  async function read(file: File) {
    setUnread("");
    if (file.name.toLowerCase().endsWith(".xlsx")) {
      const xlsx = base64(await file.arrayBuffer());
      takeBook.mutate({ xlsx, name: name.trim() || null }, { onSuccess: made });
      return;
    }
    try {
      const room = JSON.parse(await file.text()) as Room;
      take.mutate(name.trim() ? { ...room, name: name.trim() } : room, { onSuccess: made });
    } catch {
      setUnread(
        `${file.name} is neither JSON nor a workbook: a room's file is written under Rooms, Equipment.`,
      );
    }
  }
  return (
    <div className="mt-3">
      <p className="max-w-prose text-ink-2">
        Take the room that is nearest to yours; everything in it is changed under Rooms to what stands there.
        What nobody has read yet stays an estimate, and says so.
      </p>
      {templates.isError && <Refusal error={templates.error} />}
      {!templates.data && !templates.isError && <Waiting what="the templates" />}
      <ul role="radiogroup" aria-label="Room to start from" className="mt-3 grid gap-x-6 lg:grid-cols-2">
        {templates.data?.map((one) => (
          <li key={one.id}>
            <button
              type="button"
              role="radio"
              aria-checked={one.id === template}
              onClick={() => setTemplate(one.id)}
              className={`flex w-full gap-3 border-l-4 px-3 py-2 text-left hover:bg-raised ${one.id === template ? "border-ink bg-raised" : "border-transparent"}`}
            >
              <span aria-hidden>{one.id === template ? "●" : "○"}</span>
              <span className="min-w-0">
                <b className="font-semibold">{one.name}</b>
                <span className="block text-note text-ink-2">{one.says}</span>
                <span className="block text-note text-ink-3">{inShort(one.room)}</span>
              </span>
            </button>
          </li>
        ))}
      </ul>
      <div className="mt-4 flex max-w-2xl flex-wrap items-end gap-3">
        <div className="min-w-56 flex-1">
          <TextField id="room-name" label="What the room is called" value={name} live onChange={setName} />
        </div>
        <Button
          tone={rooms.data?.length ? "plain" : "main"}
          disabled={name.trim() === "" || add.isPending}
          onClick={() => add.mutate({ name: name.trim(), template }, { onSuccess: made })}
        >
          Add this room
        </Button>
        <FileButton tone="quiet" accept=".json,.xlsx,application/json" onFile={(file) => void read(file)}>
          Or from a file (JSON, workbook)
        </FileButton>
      </div>
      {add.isError && <Refusal error={add.error} className="mt-2" />}
      {take.isError && <Refusal error={take.error} className="mt-2" />}
      {takeBook.isError && <Refusal error={takeBook.error} className="mt-2" />}
      {unread && (
        <p role="alert" className="mt-2 text-bad">
          {unread}
        </p>
      )}
    </div>
  );
}

/** kVp, stations, receptors: what tells one template from the other. */
function inShort(room: Room): string {
  const { kvp, mas } = room.generator;
  const grids = [...new Set(room.supports.flatMap((one) => (one.grid ? [`${one.grid.ratio}:1`] : [])))];
  return [
    `${kvp[0]} to ${kvp[kvp.length - 1]} kVp`,
    `${mas.length} mAs from ${mas[0]} to ${mas[mas.length - 1]}`,
    grids.length > 0 ? `grid ${grids.join(", ")}` : "no grid built in",
    room.aec ? "AEC" : "no AEC",
  ].join("; ");
}

/** What is not known of a room's tube, and what follows from it; the readings are entered under Rooms. */
export function ReadingsStep() {
  const rooms = useRooms();
  if (!rooms.data) return <Waiting what="the rooms" />;
  return (
    <div className="mt-3">
      <p className="max-w-prose text-ink-2">
        Read the air kerma of the tube at two kVp or more with a meter, and the exposure index for a known
        kerma. Without it techniques still work by what such tubes usually give, less surely, and dose figures
        are estimates.
      </p>
      <ul className="mt-3 max-w-2xl border-t border-rule">
        {rooms.data.map((room) => (
          <li key={room.id} className="flex items-center gap-3 border-b border-rule">
            <b className="w-48 font-semibold">{room.name}</b>
            <span className={`flex-1 ${room.typical_output ? "text-warn" : "text-good"}`}>
              {room.typical_output ? "Output not read: typical values" : "Output known"}
            </span>
            <Link
              className="inline-flex min-h-touch items-center underline"
              to={`/rooms?room=${room.id}&part=calibration`}
            >
              Enter readings
            </Link>
          </li>
        ))}
      </ul>
    </div>
  );
}
