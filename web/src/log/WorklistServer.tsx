import { useState } from "react";

import { useSetWorklistServer, useWorklistServer } from "../api/log";
import { useMay, useWorklist } from "../api/queries";
import { Button } from "../ui/Button";
import { Refusal, Waiting } from "../ui/Notice";
import { NumberField } from "../ui/NumberField";
import { TextField } from "../ui/TextField";

const NONE = { host: "", port: 104, title: "WORKLIST", own_title: "OAKBEAM" };

/** Where the Desk's list of waiting requests is asked for, and whether it answers. */
export function WorklistServer() {
  const may = useMay("keeper", "physicist", "admin");
  const now = useWorklistServer(may);
  const set = useSetWorklistServer();
  const answer = useWorklist(Boolean(now.data?.server));
  const [draft, setDraft] = useState<typeof NONE | null>(null);
  if (!may) return null;
  if (now.isError) return <Refusal error={now.error} />;
  if (!now.data) return <Waiting what="the worklist" />;
  const { server, procedures } = now.data;
  const form = draft ?? { ...NONE, ...server };
  const change = (part: Partial<typeof NONE>) => setDraft({ ...form, ...part });
  return (
    <section aria-label="Worklist" className="border-t border-rule pt-4">
      <h2 className="text-lead">Worklist</h2>
      <p className="max-w-prose text-note text-ink-3">
        The Desk lists the requests that a DICOM Modality Worklist server has. No name is kept; a procedure
        that is new is asked about once, in that list. {procedures}{" "}
        {procedures === 1 ? "procedure has its exam." : "procedures have their exam."}
      </p>
      <form
        className="mt-2 flex flex-wrap items-end gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          set.mutate(form, { onSuccess: () => setDraft(null) });
        }}
      >
        <div className="w-64">
          <TextField
            live
            id="worklist-host"
            label="Name or address of the server"
            value={form.host}
            onChange={(host) => change({ host })}
          />
        </div>
        <NumberField
          id="worklist-port"
          label="Port"
          digits={0}
          className="w-24"
          value={form.port}
          onChange={(port) => port !== null && change({ port })}
        />
        <div className="w-44">
          <TextField
            live
            id="worklist-title"
            label="Its AE title"
            value={form.title}
            onChange={(title) => change({ title })}
          />
        </div>
        <div className="w-44">
          <TextField
            live
            id="worklist-own-title"
            label="Our AE title"
            value={form.own_title}
            onChange={(own_title) => change({ own_title })}
          />
        </div>
        <Button type="submit" disabled={draft === null || set.isPending}>
          Ask there
        </Button>
        {server && (
          <Button
            tone="quiet"
            disabled={set.isPending}
            onClick={() => set.mutate({ ...form, host: "" }, { onSuccess: () => setDraft(null) })}
          >
            Ask nowhere
          </Button>
        )}
      </form>
      {set.isError && <Refusal error={set.error} className="mt-2" />}
      {server && (
        <div role="status" className="mt-2">
          {answer.isError ? (
            <Refusal error={answer.error} />
          ) : answer.data ? (
            <p>
              {server.title} at {server.host}:{server.port} answers: {answer.data.length}{" "}
              {answer.data.length === 1 ? "request waits." : "requests wait."}
            </p>
          ) : (
            <Waiting what="its answer" />
          )}
        </div>
      )}
      {!server && <p className="mt-2 text-ink-2">No server is asked.</p>}
    </section>
  );
}
