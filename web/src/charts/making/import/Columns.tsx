import type { Preview } from "../../../api/bench";
import type { Room } from "../../../api/queries";
import { LengthField } from "../../../ui/LengthField";
import { Select } from "../../../ui/Select";
import { SUPPORT } from "../../../ui/words";

export const OUT = "left out";
const FILLERS = ["support", "receptor", "grid_ratio", "sid_cm"] as const;
export type Filler = (typeof FILLERS)[number];

/** What a column can be, as people say it; a length has its unit behind it. */
const NAMES: Record<string, string> = {
  grid_ratio: "grid",
  sid: "SID",
  range_min: "thickness from",
  range_max: "thickness to",
  kvp: "kVp",
  mas: "mAs",
  doubling: "mAs doubles every",
  kvp_per_cm: "kVp per cm",
  target_ei: "target index",
  exposure_control: "AEC or manual",
  aec_cells: "AEC chambers",
  aec_density: "AEC density",
  region: "part of the body",
  exposure: "kVp and mAs together",
  ma: "mA",
  backup_mas: "back-up mAs",
  speed: "film or speed",
};
const SIZES: Record<string, string> = { average: "medium", very_large: "very large" };

/** A column's meaning: "kvp@small" is the kVp of the small, "sid_in" an SID in inches. */
const words = (taken: string) => {
  const [name = "", of] = taken.split("@");
  const [, base = name, unit] = /^(.*)_(cm|in)$/.exec(name) ?? [];
  const said = name in NAMES || !unit ? (NAMES[name] ?? name) : `${NAMES[base] ?? base}, ${unit}`;
  return of ? `${said}, ${SIZES[of] ?? (/^[\d.]/.test(of) ? `${of} cm` : of)}` : said;
};

/** How the file was read: what each column is taken as, and what was settled on the way. */
export function Columns({
  found,
  onMap,
  onAnswer,
}: {
  found: Preview;
  onMap: (column: string, ours: string) => void;
  onAnswer: (more: Record<string, string>) => void;
}) {
  const options = [OUT, ...found.ours, ...inches(found.ours)].map((one) => ({
    value: one,
    label: words(one),
  }));
  const wide = found.columns.length > 0;
  return (
    <details className="mt-4" open={found.made.length === 0}>
      <summary className="cursor-pointer">
        How it is read{" "}
        <span className="text-ink-2">
          {wide &&
            `· ${found.columns.filter((one) => one.taken_as).length} of ${found.columns.length} columns`}
        </span>
      </summary>
      {wide && (
        <div className="mt-2 overflow-x-auto">
          <table className="border-collapse">
            <caption className="sr-only">How the columns are read</caption>
            <tbody>
              <tr>
                {found.columns.map((one, i) => (
                  <th
                    key={i}
                    className="max-w-44 min-w-32 border-b border-rule-strong px-2 text-left font-semibold"
                  >
                    {one.given}
                  </th>
                ))}
              </tr>
              <tr>
                {found.columns.map((one, i) => (
                  <td key={i} className="px-1 py-1">
                    <Select
                      label={`Column ${one.given} is`}
                      value={one.taken_as ?? OUT}
                      options={
                        options.some((option) => option.value === one.taken_as) || one.taken_as == null
                          ? options
                          : [...options, { value: one.taken_as, label: words(one.taken_as) }]
                      }
                      onChange={(ours) => onMap(one.given, ours)}
                    />
                  </td>
                ))}
              </tr>
              {[0, 1, 2].map((i) => (
                <tr key={i}>
                  {found.columns.map((one, at) => (
                    <td key={at} className="max-w-44 truncate px-2 text-note text-ink-2">
                      {one.sample[i]}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      <p className="mt-1 max-w-prose text-note text-ink-2">{found.decided.join(" ")}</p>
      <div className="mt-1 flex flex-wrap gap-2">
        {found.sheets
          .filter((sheet) => wide && sheet.rows.length > 1)
          .map((sheet) => (
            <Select
              key={sheet.name}
              label={`Heads stand elsewhere${sheet.name && `, ${sheet.name}`}`}
              labelled
              className="w-80"
              value=""
              options={sheet.rows.map(([at, cells]) => ({
                value: String(at),
                label: `row ${at}: ${cells.filter(Boolean).join(" | ").slice(0, 60)}`,
              }))}
              onChange={(row) => onAnswer({ [`heads:${sheet.name}`]: row })}
            />
          ))}
      </div>
    </details>
  );
}

/** The same columns, given in inches. */
const inches = (ours: readonly string[]) =>
  ours.filter((one) => one.endsWith("_cm")).map((one) => one.replace(/_cm$/, "_in"));

/** What the file has no column for: a rule fills it in, unless somebody says what holds for all lines. */
export function Fillers({
  found,
  room,
  values,
  onFill,
}: {
  found: Preview;
  room: Room;
  values: Partial<Record<Filler, string>>;
  onFill: (column: Filler, value: string) => void;
}) {
  const there = new Set(found.columns.map((one) => (one.taken_as ?? "").replace(/_(cm|in)$/, "")));
  const missing = FILLERS.filter((one) => !there.has(one.replace(/_cm$/, "")));
  if (missing.length === 0 || found.columns.length === 0) return null;
  const choices: Partial<Record<Filler, { value: string; label: string }[]>> = {
    support: room.supports.map((one) => ({ value: one.id, label: SUPPORT[one.id] ?? one.id })),
    receptor: room.receptors.map((one) => ({ value: one.id, label: one.name })),
    grid_ratio: ["0", "5", "6", "8", "10", "12", "16"].map((one) => ({
      value: one,
      label: one === "0" ? "no grid" : `${one}:1`,
    })),
  };
  const names = { support: "support", receptor: "receptor", grid_ratio: "grid ratio", sid_cm: "SID" };
  return (
    <div className="mt-3">
      <p className="text-ink-2">
        The file has no column for these. They are assumed line by line, unless one holds for all:
      </p>
      <div className="mt-1 flex flex-wrap gap-2">
        {missing.map((one) =>
          choices[one] ? (
            <Select
              key={one}
              label={names[one]}
              labelled
              className="w-52"
              value={values[one] ?? ""}
              options={choices[one]}
              onChange={(value) => onFill(one, value)}
            />
          ) : (
            <div key={one} className="w-40">
              <LengthField
                id="fill-sid"
                label="SID"
                value={values[one] ? Number(values[one]) : null}
                onChange={(cm) => cm !== null && onFill(one, String(cm))}
              />
            </div>
          ),
        )}
      </div>
    </div>
  );
}
