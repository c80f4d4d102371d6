import { useEffect, useState } from "react";

import { type Preview, useImportPreview, useRememberAnswers } from "../../../api/bench";
import { Button } from "../../../ui/Button";
import { keepDraft, useDraft } from "../../../ui/drafts";
import { base64 } from "../../../ui/base64";
import { FileButton } from "../../../ui/FileButton";
import { Refusal } from "../../../ui/Notice";
import { MakeBar } from "../MakeBar";
import type { Making } from "../making";
import { Columns, type Filler, Fillers, OUT } from "./Columns";
import { Faults } from "./Faults";
import { Lines } from "./Lines";
import { Questions } from "./Questions";
import { Remembered } from "./Remembered";

interface Typed {
  file: { name: string; content: string } | null;
  mapping: Record<string, string | null>;
  defaults: Partial<Record<Filler, string>>;
  answers: Record<string, string>;
}
const SHEET = "sheet:which";
const OF_ROWS = /^(row|far|twice):/;
const NOTHING: Typed = { file: null, mapping: {}, defaults: {}, answers: {} };

const draftOf = (room: string) => `import ${room}`;

/** A text that the import page of a room then opens with, in place of what it held. */
export const keepForImport = (room: string, name: string, text: string) =>
  keepDraft<Typed>(draftOf(room), {
    ...NOTHING,
    file: { name, content: base64(new TextEncoder().encode(text).buffer) },
  });

/** A chart from somebody's file: what is clear is read, what is not is asked, and nothing is kept before it is looked at. */
export function ImportChart(props: Making) {
  const { room, projections } = props;
  const preview = useImportPreview();
  const remember = useRememberAnswers();
  const [given, setGiven] = useDraft<Typed>(draftOf(room.id), () => NOTHING);
  const { file, mapping, defaults, answers } = given;
  // Stays while the file is read again by other columns, and where that is refused: there is then a way back.
  const [found, setFound] = useState<Preview | null>(null);

  /** Keeps what was chosen and answered, and reads the file by it. */
  function look(next: Typed) {
    setGiven(next);
    if (!next.file) return;
    preview.mutate(
      {
        room: room.id,
        file: next.file.content,
        mapping: next.mapping,
        defaults: next.defaults,
        answers: next.answers,
      },
      { onSuccess: setFound },
    );
  }
  // What was chosen before another view was looked at is read again.
  useEffect(() => {
    if (file && preview.isIdle) look(given);
  });
  async function read(chosen: File) {
    preview.reset();
    const name = chosen.name.replace(/\.(csv|xlsx|txt)$/i, "").slice(0, 100) || "Imported chart";
    const content = base64(await chosen.arrayBuffer());
    setFound(null);
    look({ ...NOTHING, file: { name, content } });
  }
  const answer = (more: Record<string, string>) => {
    // Another sheet has rows of its own: what was said of the last one's rows does not hold for it.
    const kept = Object.entries(answers).filter(([id]) => !(SHEET in more && OF_ROWS.test(id)));
    look({ ...given, answers: { ...Object.fromEntries(kept), ...more } });
  };
  const busy = preview.isPending;
  const open = found?.questions.filter((one) => one.answer == null) ?? [];

  return (
    <section aria-label="Import a chart" className="px-5 py-4">
      <h2 className="text-lead">Import a chart from a spreadsheet or a text file</h2>
      <p className="mt-1 max-w-prose text-ink-2">
        {props.open?.status === "draft"
          ? `Its lines go into version ${props.open.version} of ${room.name}, as you choose.`
          : `It becomes a draft for ${room.name}.`}{" "}
        What is clear is read; what is not is asked, and waits. Nothing is kept before you have seen every
        line.
      </p>
      <div className="mt-3 flex flex-wrap items-center gap-3">
        <FileButton
          accept=".csv,.xlsx,.txt,text/csv"
          tone={file ? "plain" : "main"}
          onFile={(chosen) => void read(chosen)}
        >
          {file ? "Choose another file" : "Choose a file"}
        </FileButton>
        <span className="text-ink-2">{file ? file.name : "no file chosen"}</span>
        {busy && (
          <span role="status" className="text-ink-2">
            Reading…
          </span>
        )}
        {!found && (
          <Button tone="quiet" onClick={props.onCancel}>
            Cancel
          </Button>
        )}
      </div>
      {!found && <Remembered room={room} projections={projections} />}
      {preview.isError && <Refusal error={preview.error} className="mt-4" />}
      {file && found && (
        <div aria-busy={busy}>
          <Columns
            found={found}
            onAnswer={answer}
            onMap={(column, ours) =>
              look({ ...given, mapping: { ...mapping, [column]: ours === OUT ? null : ours } })
            }
          />
          <Fillers
            found={found}
            room={room}
            values={defaults}
            onFill={(column, value) => look({ ...given, defaults: { ...defaults, [column]: value } })}
          />
          <Questions questions={found.questions} projections={projections} onAnswer={answer} />
          {found.faults.length > 0 && <Faults faults={found.faults} onAnswer={answer} />}
          {found.made.length > 0 && <Lines made={found.made} room={room} projections={projections} />}
          <MakeBar
            key={file.name}
            making={props}
            usual={file.name}
            lines={found.lines}
            why={`Imported from ${file.name}.`}
            waits={
              busy
                ? "The file is being read."
                : !found.ready
                  ? `${[
                      open.length > 0 && `${open.length} ${open.length === 1 ? "question" : "questions"}`,
                      found.faults.length > 0 &&
                        `${found.faults.length} ${found.faults.length === 1 ? "fault" : "faults"}`,
                    ]
                      .filter(Boolean)
                      .join(" and ")} open: answer, mend, or leave the rows out.`
                  : ""
            }
            onMake={() => remember.mutate(answers)}
          />
        </div>
      )}
    </section>
  );
}
