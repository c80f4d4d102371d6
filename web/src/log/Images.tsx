import { useRef, useState } from "react";

import {
  type TakenIn,
  useAnswer,
  useSaySame,
  useTakeIn,
  useWaitingImages,
  type WaitingImages,
} from "../api/log";
import { callOff, type Job } from "../api/jobs";
import { useMay, useProjections, useRooms } from "../api/queries";
import { base64 } from "../ui/base64";
import { Button, buttonClass } from "../ui/Button";
import { Empty, Refusal } from "../ui/Notice";
import { Select } from "../ui/Select";
import { figure } from "../ui/units";
import { day, moment } from "../ui/words";
import { ExposureTable } from "./ExposureTable";
import { RefusedObjects } from "./RefusedObjects";
import { WorklistServer } from "./WorklistServer";

/** A head holds everything that is read: what follows are pixels, which never leave the browser. */
const HEAD = 256 * 1024;
const BATCH_BYTES = 6 * 1024 * 1024;
const BATCH_FILES = 100;
/** A table of exposures is looked at before it is taken in. */
const TABLE = /\.(csv|tsv|xlsx)$/i;
const NOTHING: TakenIn = { read: 0, added: 0, merged: 0, waiting: 0, known: 0, refused: [] };

interface Refused {
  name: string;
  why: string;
}

/** Images and dose reports taken into the log: dropped or chosen here; and what waits for an answer. */
export function Images() {
  const may = useMay("keeper", "physicist");
  const [job, setJob] = useState<Job | null>(null);
  const [stopped, setStopped] = useState(false);
  const take = useTakeIn(setJob);
  const picker = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const [progress, setProgress] = useState<{ done: number; of: number } | null>(null);
  const [taken, setTaken] = useState<TakenIn | null>(null);
  const [refused, setRefused] = useState<Refused[]>([]);
  const [table, setTable] = useState<{ name: string; file: string } | null>(null);

  async function takeIn(chosen: File[]) {
    const sheet = chosen.find((file) => TABLE.test(file.name));
    setTable(sheet ? { name: sheet.name, file: base64(await sheet.arrayBuffer()) } : null);
    const files = chosen.filter((file) => file !== sheet);
    if (files.length === 0) {
      setTaken(null);
      return;
    }
    const whole = { ...NOTHING, refused: [] };
    const left: Refused[] = [];
    setTaken(null);
    setRefused([]);
    setStopped(false);
    try {
      let at = 0;
      while (at < files.length) {
        setProgress({ done: at, of: files.length });
        const batch: File[] = [];
        for (let bytes = 0; at < files.length && batch.length < BATCH_FILES && bytes < BATCH_BYTES; at++) {
          const file = files[at] as File;
          batch.push(file);
          bytes += Math.min(file.size, HEAD);
        }
        const zips = batch.filter((file) => file.name.toLowerCase().endsWith(".zip"));
        const plain = batch.filter((file) => !zips.includes(file));
        for (const zip of zips) add(await take.mutateAsync({ zip: base64(await zip.arrayBuffer()) }), [zip]);
        if (plain.length > 0) {
          const heads = await Promise.all(plain.map((file) => file.slice(0, HEAD).arrayBuffer()));
          const answer = await take.mutateAsync({ objects: heads.map(base64) });
          // Where a head was not enough the whole file is.
          const short = answer.refused.filter(
            (one) => one.why.includes("cut off") && (plain[one.at]?.size ?? 0) > HEAD,
          );
          add({ ...answer, refused: answer.refused.filter((one) => !short.includes(one)) }, plain);
          for (const one of short) {
            const file = plain[one.at] as File;
            add(await take.mutateAsync({ objects: [base64(await file.arrayBuffer())] }), [file]);
          }
        }
      }
    } catch {
      // What was taken in until then is said; the refusal stands beside it.
    }
    setProgress(null);
    setTaken(whole);
    setRefused(left);

    function add(answer: TakenIn, of: File[]) {
      for (const count of ["read", "added", "merged", "waiting", "known"] as const)
        whole[count] += answer[count];
      left.push(
        ...answer.refused.map((one) => ({ name: of[one.at]?.name ?? of[0]?.name ?? "", why: one.why })),
      );
    }
  }

  return (
    <div className="flex flex-col gap-6 px-5 py-4">
      {may && (
        <section
          aria-label="Bring images in"
          onDragOver={(event) => {
            event.preventDefault();
            setOver(true);
          }}
          onDragLeave={() => setOver(false)}
          onDrop={(event) => {
            event.preventDefault();
            setOver(false);
            void dropped(event.dataTransfer).then(takeIn);
          }}
          className={`flex flex-col items-start gap-2 border border-dashed p-5 ${over ? "border-ink bg-raised" : "border-rule-strong"}`}
        >
          <p className="text-lead">Drop DICOM files, a folder, a ZIP or a table here</p>
          <div className="flex flex-wrap gap-3">
            <label
              className={`${buttonClass("plain")} cursor-pointer focus-within:outline-2 focus-within:outline-ink`}
            >
              Choose files
              <input
                type="file"
                multiple
                className="sr-only"
                onChange={(event) => void takeIn([...(event.currentTarget.files ?? [])])}
              />
            </label>
            <Button onClick={() => picker.current?.click()}>Choose a folder</Button>
            <input
              ref={(input) => {
                picker.current = input;
                input?.setAttribute("webkitdirectory", "");
              }}
              type="file"
              multiple
              tabIndex={-1}
              aria-label="Folder of images"
              className="sr-only"
              onChange={(event) => void takeIn([...(event.currentTarget.files ?? [])])}
            />
          </div>
          <p className="max-w-prose text-note text-ink-3">
            Images (DX, CR), X-ray dose reports and reject notes; a table of exposures as CSV or XLSX. Only
            numbers and words of the field are kept: no name, no date of birth, no record number, no pixels.
            From a shell: oakbeam log import FOLDER. From the machines: oakbeam dicom.
          </p>
          {progress && (
            <p role="status">
              <progress max={progress.of} value={progress.done} className="mr-2 align-middle" />
              {progress.done} of {progress.of}
              {job && (
                <>
                  {job.of > 0 ? `, here ${job.done} of ${job.of} images ` : ", waiting for its turn "}
                  <Button
                    tone="quiet"
                    onClick={() => {
                      setStopped(true);
                      void callOff(job);
                    }}
                  >
                    Stop here
                  </Button>
                </>
              )}
            </p>
          )}
          {take.isError &&
            (stopped ? (
              <p role="status">Stopped. What was taken in by then stays; the rest was not looked at.</p>
            ) : (
              <Refusal error={take.error} />
            ))}
          {taken && <Outcome taken={taken} refused={refused} />}
          {table && (
            <ExposureTable
              key={table.name}
              name={table.name}
              file={table.file}
              onTaken={(done) => {
                setTable(null);
                setTaken(done);
                setRefused(done.refused.map((one) => ({ name: `Row ${one.at}`, why: one.why })));
              }}
            />
          )}
        </section>
      )}
      <WaitingHeaps may={may} />
      <RefusedObjects />
      <WorklistServer />
    </div>
  );
}

function Outcome({ taken, refused }: { taken: TakenIn; refused: Refused[] }) {
  return (
    <div role="status">
      <p>
        <b>{taken.read} read:</b> {taken.added} {taken.added === 1 ? "exposure" : "exposures"} added,{" "}
        {taken.merged} joined to one that was there, {taken.waiting} wait for an answer below, {taken.known}{" "}
        known already, {refused.length} refused.
      </p>
      {refused.length > 0 && (
        <ul className="mt-1 max-h-48 overflow-y-auto text-note text-ink-2">
          {refused.slice(0, 200).map((one, i) => (
            <li key={i}>
              {one.name}: {one.why}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

type HeapOf = WaitingImages["heaps"][number];

function WaitingHeaps({ may }: { may: boolean }) {
  const waiting = useWaitingImages();
  if (waiting.isError) return <Refusal error={waiting.error} />;
  if (!waiting.data) return null;
  if (waiting.data.heaps.length === 0)
    return (
      <Empty title="Nothing waits">Every image that came in found its room, its view and its exposure.</Empty>
    );
  return (
    <section aria-label="What waits">
      <h2 className="text-lead">
        {waiting.data.objects} {waiting.data.objects === 1 ? "object waits" : "objects wait"} for an answer
      </h2>
      <ul>
        {waiting.data.heaps.map((one) => (
          <HeapRow key={one.heap.key} one={one} may={may} />
        ))}
      </ul>
    </section>
  );
}

function HeapRow({ one, may }: { one: HeapOf; may: boolean }) {
  const { heap } = one;
  const rooms = useRooms().data ?? [];
  const projections = useProjections().data ?? [];
  const answer = useAnswer();
  const same = useSaySame();
  const [choice, setChoice] = useState("");
  const when =
    day(heap.first_at) === day(heap.last_at)
      ? day(heap.first_at)
      : `${day(heap.first_at)} to ${day(heap.last_at)}`;
  const setting = (range: readonly number[]) =>
    range[0] === range[1] ? figure(range[0] ?? 0) : `${figure(range[0] ?? 0)} to ${figure(range[1] ?? 0)}`;
  const what = `${heap.objects} ${heap.objects === 1 ? "object" : "objects"}, ${when}, ${setting(heap.kvp)} kVp, ${setting(heap.mas)} mAs`;
  const busy = answer.isPending || same.isPending;
  return (
    <li className="flex flex-wrap items-center gap-3 border-b border-rule py-2">
      <div className="min-w-80 flex-1">
        <p className="font-semibold">
          {heap.waits_for === "room"
            ? "A machine that is not known: which room is it in?"
            : heap.waits_for === "view"
              ? heap.view
                ? `“${heap.view}”: which view is that?`
                : "No word of the field names the view"
              : "Which of these exposures is it?"}
        </p>
        <p className="text-ink-2">{what}</p>
        {(answer.isError || same.isError) && <Refusal error={answer.error ?? same.error} />}
      </div>
      {may && heap.waits_for === "room" && (
        <>
          <Select
            label="Room"
            className="w-52"
            value={choice}
            options={rooms.map((room) => ({ value: room.id, label: room.name }))}
            onChange={setChoice}
          />
          <Button
            disabled={!choice || busy}
            onClick={() =>
              answer.mutate({ waits_for: "room", device: heap.device, view: "", aside: "", room: choice })
            }
          >
            It is there
          </Button>
        </>
      )}
      {may && heap.waits_for === "view" && heap.view && (
        <>
          <Select
            label="View"
            className="w-72"
            value={choice}
            options={projections.map((view) => ({ value: view.id, label: `${view.exam} ${view.name}` }))}
            onChange={setChoice}
          />
          <Button
            disabled={!choice || busy}
            onClick={() =>
              answer.mutate({
                waits_for: "view",
                device: "",
                view: heap.view,
                aside: "",
                projection: choice,
              })
            }
          >
            That is it, always
          </Button>
        </>
      )}
      {may && heap.waits_for === "same" && (
        <div className="flex flex-wrap gap-2">
          {one.candidates.map((candidate) => (
            <Button
              key={candidate.id}
              disabled={busy}
              onClick={() => same.mutate({ key: heap.key, exposure: candidate.id })}
            >
              {`${moment(candidate.taken_at)}, ${figure(candidate.mas)} mAs`}
            </Button>
          ))}
          <Button tone="quiet" disabled={busy} onClick={() => same.mutate({ key: heap.key, exposure: null })}>
            None of them
          </Button>
        </div>
      )}
      {may && heap.waits_for !== "same" && (
        <Button
          tone="quiet"
          disabled={busy}
          onClick={() =>
            answer.mutate({
              waits_for: heap.waits_for === "room" ? "room" : "view",
              device: heap.device,
              view: heap.view,
              aside: "not of this log",
            })
          }
        >
          Not ours
        </Button>
      )}
    </li>
  );
}

/** The files of a drop, those of folders too. */
async function dropped(data: DataTransfer): Promise<File[]> {
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (entries.length === 0) return [...data.files];
  const found: File[] = [];
  const walk = async (entry: FileSystemEntry): Promise<void> => {
    if (entry.isFile) {
      found.push(
        await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject)),
      );
      return;
    }
    const reader = (entry as FileSystemDirectoryEntry).createReader();
    // A reader gives some at a time, and none at the end.
    for (;;) {
      const some = await new Promise<FileSystemEntry[]>((resolve, reject) =>
        reader.readEntries(resolve, reject),
      );
      if (some.length === 0) return;
      for (const one of some) await walk(one);
    }
  };
  for (const entry of entries) await walk(entry);
  return found;
}
