import { type Readings, type Room, useRoomHistory } from "../api/queries";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { date, moment } from "../ui/words";

/** Every change of the room, newest first. */
export function History({
  room,
  onPutBack,
}: {
  room: Room;
  onPutBack: ((before: Partial<Room>) => void) | null;
}) {
  const history = useRoomHistory(room.id);
  if (history.isError) return <Refusal error={history.error} className="m-5" />;
  if (!history.data)
    return (
      <div className="p-5">
        <Waiting what="the history" />
      </div>
    );
  if (history.data.length === 0)
    return (
      <div className="p-5">
        <Empty title="No change yet" />
      </div>
    );
  return (
    <>
      <p className="mx-5 mt-4">
        <a
          className="inline-flex min-h-touch items-center underline"
          href={`/api/rooms/${room.id}/readings/csv`}
        >
          All readings as CSV
        </a>
      </p>
      <table className="mx-5 mb-5 w-[min(60rem,95%)] text-left">
        <thead className="text-note text-ink-3">
          <tr className="border-b border-rule-strong">
            <th className="py-1 font-normal">When</th>
            <th className="font-normal">Who</th>
            <th className="font-normal">What</th>
          </tr>
        </thead>
        <tbody>
          {history.data.map((change) => (
            <tr key={change.id} className="border-b border-rule align-top">
              <td className="py-1.5 pr-4 whitespace-nowrap">{moment(change.at)}</td>
              <td className="py-1.5 pr-4">{change.actor}</td>
              <td className="py-1.5">
                {PROGRAM[change.action]?.(change.detail) ?? words(change.detail)}
                {change.detail.before !== undefined && (
                  <Difference detail={change.detail} onPutBack={onPutBack} />
                )}
                {change.detail.readings !== undefined && (
                  <>
                    <ReadingsOf readings={change.detail.readings as Partial<Readings>} />
                    <a
                      className="inline-flex min-h-touch items-center underline"
                      href={`/api/rooms/${room.id}/calibrations/${change.id}/pdf`}
                    >
                      Report, to sign (PDF)
                    </a>
                  </>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** What a change of the equipment did, figure by figure; a press takes the fields it touched back to what they were. */
function Difference({
  detail,
  onPutBack,
}: {
  detail: Record<string, unknown>;
  onPutBack: ((before: Partial<Room>) => void) | null;
}) {
  const lines = apart(detail.before, detail.after, "");
  return (
    <details>
      <summary className="min-h-touch cursor-pointer text-ink-2">
        {lines.length} {lines.length === 1 ? "figure" : "figures"}
      </summary>
      <ul className="text-note">
        {lines.slice(0, MOST_SHOWN).map((line) => (
          <li key={line.where}>
            {line.where}: {line.before} → <b>{line.after}</b>
          </li>
        ))}
        {lines.length > MOST_SHOWN && <li>and {lines.length - MOST_SHOWN} more</li>}
      </ul>
      {onPutBack && (
        <button
          type="button"
          className="min-h-touch underline"
          onClick={() => onPutBack(detail.before as Partial<Room>)}
        >
          Put these back, to look at and save
        </button>
      )}
    </details>
  );
}

const MOST_SHOWN = 40;

/** Fields as the equipment's page calls them, where their own names say less. */
const FIELD: Record<string, string> = {
  outputs: "output",
  kerma_ugy_per_mas: "µGy/mAs",
  filtration_mm_al: "total filtration, mm Al",
  filtration_mm_cu: "added copper, mm Cu",
  anode_angle_deg: "anode angle, °",
  cathode_at: "cathode over the table at",
  gap_cm: "skin to receptor, cm",
  attenuation_mm_al: "front, mm Al",
  sid_range_cm: "tube travel, cm",
  sid_detents: "SID detents",
  range_cm: "range, cm",
  size_cm: "size, cm",
  target_ei: "target EI",
  region_targets: "target EI by region",
  ei_scale: "index shown over called for",
  index_scale: "console shows",
  focal_spots: "focal spot",
  power_kw: "kW",
  time_ms: "ms",
  most_ma: "most mA",
  mas_ceiling: "mAs ceiling with AEC",
  minimum_response_ms: "shortest AEC time, ms",
  backup_factor: "AEC back-up ×",
  loose_grids: "loose grid",
  school: "calculated by",
};

interface Apart {
  where: string;
  before: string;
  after: string;
}

/** Where two values differ, down to the single figure; lists of numbers are one figure. */
function apart(before: unknown, after: unknown, where: string): Apart[] {
  if (JSON.stringify(before) === JSON.stringify(after)) return [];
  const plain = (value: unknown) => typeof value !== "object" || value === null;
  const flat = (value: unknown) => Array.isArray(value) && value.every(plain);
  if (plain(before) || plain(after) || flat(before) || flat(after))
    return [{ where, before: shown(before), after: shown(after) }];
  const [old, fresh] = [before, after] as Record<string, unknown>[];
  return [...new Set([...Object.keys(old ?? {}), ...Object.keys(fresh ?? {})])].flatMap((key) => {
    const name = /^\d+$/.test(key) ? String(Number(key) + 1) : (FIELD[key] ?? key.replaceAll("_", " "));
    return apart(old?.[key], fresh?.[key], where === "" ? name : `${where} ${name}`);
  });
}

function shown(value: unknown): string {
  if (value === undefined || value === null || value === "") return "none";
  if (Array.isArray(value))
    return value.every((one) => typeof one !== "object") ? value.join(" ") : `${value.length} entries`;
  if (typeof value === "object") return "entered";
  return typeof value === "string" ? value : JSON.stringify(value);
}

/** The figures of a calibration, as they were entered. */
function ReadingsOf({ readings }: { readings: Partial<Readings> }) {
  const { outputs = [], hvls = [], indices = [], instrument, read_on, due_on } = readings;
  const said = [
    instrument && `by ${instrument}`,
    read_on && `read on ${date(read_on)}`,
    due_on && `next due ${date(due_on)}`,
  ].filter(Boolean);
  return (
    <details>
      <summary className="min-h-touch cursor-pointer text-ink-2">
        Its readings{said.length > 0 && `, ${said.join(", ")}`}
      </summary>
      <ul className="text-note">
        {outputs.map((one, i) => (
          <li key={`output ${i}`}>
            {one.kvp} kVp, {one.ma} mA, {one.mas} mAs at {one.distance_cm ?? 100} cm: <b>{one.kerma_ugy}</b>{" "}
            µGy
          </li>
        ))}
        {hvls.map((one, i) => (
          <li key={`hvl ${i}`}>
            HVL at {one.kvp} kVp: <b>{one.hvl_mm_al}</b> mm Al
          </li>
        ))}
        {indices.map((one, i) => (
          <li key={`index ${i}`}>
            {one.receptor}, {one.kerma_ugy} µGy: <b>{one.shown_index ?? one.ei}</b>
          </li>
        ))}
      </ul>
    </details>
  );
}

/** What was done with the generator's programs: no change of the room itself. */
const PROGRAM: Record<string, (detail: Record<string, unknown>) => string> = {
  "program.enter": (detail) => `entered a program at the generator, ${String(detail.size)}`,
  "constancy.keep": (detail) =>
    `kept a constancy test, ${String(detail.test)}: ${detail.passed ? "passed" : "failed"}`,
  "program.check": (detail) => `checked a program at the generator, ${String(detail.size)}`,
};

function words(detail: Record<string, unknown>): string {
  const revision = `revision ${String(detail.revision)}`;
  if (Array.isArray(detail.changed)) return `${revision}: changed ${detail.changed.join(", ") || "nothing"}`;
  if (detail.readings) {
    const { outputs = [], hvls = [], indices = [] } = detail.readings as Record<string, unknown[]>;
    return `${revision}: calibration accepted, ${outputs.length} output, ${hvls.length} HVL and ${indices.length} index readings`;
  }
  if (detail.like) return `${revision}: added, like ${detail.like as string}`;
  return `${revision}: entered`;
}
