import { useState } from "react";
import { Link } from "react-router";

import { type Alert, useAlerts, useNoteAlert } from "../api/log";
import { type Room, useMay } from "../api/queries";
import { Button } from "../ui/Button";
import { Refusal } from "../ui/Notice";
import { TextField } from "../ui/TextField";
import { day } from "../ui/words";

/** What moved in a room: few, each with what it saw, how sure that is and what to do. Those that somebody noted come last. */
export function Alerts({ room }: { room: Room }) {
  const alerts = useAlerts(room.id);
  if (alerts.isError) return <Refusal error={alerts.error} className="m-5" />;
  if (!alerts.data?.length) return null;
  const open = alerts.data.filter((one) => !one.note);
  const known = alerts.data.filter((one) => one.note);
  return (
    <section aria-label="What moved" className="border-b border-rule px-5 py-3">
      {open.map((one) => (
        <AlertRow key={one.alert.key} room={room} one={one} />
      ))}
      {known.length > 0 && (
        <details>
          <summary className="min-h-touch cursor-pointer py-2 text-ink-2">
            {known.length} known {known.length === 1 ? "change" : "changes"}
          </summary>
          {known.map((one) => (
            <AlertRow key={one.alert.key} room={room} one={one} />
          ))}
        </details>
      )}
    </section>
  );
}

function AlertRow({ room, one }: { room: Room; one: Alert }) {
  const may = useMay("keeper", "physicist");
  const note = useNoteAlert(room.id);
  const [writing, setWriting] = useState(false);
  const [text, setText] = useState("");
  const { alert } = one;
  return (
    <div className={`my-1 border-l-4 py-1 pl-3 ${one.note ? "border-rule" : "border-warn"}`}>
      <p>
        <b className={one.note ? "" : "text-warn"}>{alert.saw}</b> Since about {day(one.since)}
        {alert.with_what && `, ${alert.with_what}`}.{" "}
        <Link
          className="underline"
          to={`?part=time&room=${one.room}&series=${encodeURIComponent(alert.series[0] ?? "")}`}
        >
          Look at it
        </Link>
      </p>
      <p className="text-ink-2">{alert.do}</p>
      {one.note ? (
        <p className="text-note text-ink-3">
          {one.note.by}, {day(one.note.at)}: {one.note.note}
        </p>
      ) : (
        may &&
        (writing ? (
          <div className="mt-1 flex max-w-xl items-end gap-2">
            <div className="flex-1">
              <TextField
                live
                id={`note-${alert.key}`}
                label="What is known of it"
                value={text}
                onChange={setText}
              />
            </div>
            <Button
              disabled={!text.trim() || note.isPending}
              onClick={() => note.mutate({ key: alert.key, note: text.trim() })}
            >
              Note it
            </Button>
          </div>
        ) : (
          <Button tone="quiet" className="-ml-3" onClick={() => setWriting(true)}>
            It is known…
          </Button>
        ))
      )}
      {note.isError && <Refusal error={note.error} />}
    </div>
  );
}
