import { useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import type { Choices, Exam, Page, Projection, Room } from "../api/queries";
import { useChoices, useExams, useMay, usePage, useProjections, useSearch } from "../api/queries";
import { Methods } from "../desk/technique/Methods";
import { useTitle } from "../ui/address";
import { buttonClass } from "../ui/Button";
import { useHand, withFingers } from "../ui/hand";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { usePreferences } from "../ui/preferences";
import { Said } from "../ui/Said";
import { fromCm, length, lengthsIn, receptorSize, trimmed } from "../ui/units";
import { focusField, useKeys } from "../ui/useKeys";
import { digitNames, digitWords, QUANTITY, SUPPORT } from "../ui/words";
import { Body } from "./Body";
import { Department } from "./Department";
import { HandRuler } from "./HandRuler";
import { Pictures } from "./Pictures";

/** The Guide: every projection of the catalogue, as far as it bears on the exposure. */
export function GuidePage({ room }: { room: Room | undefined }) {
  const { id } = useParams();
  const navigate = useNavigate();
  const projections = useProjections();
  const exams = useExams();
  const choices = useChoices();
  const [query, setQuery] = useState("");
  const wanted = useRef<string | null>(null);
  const found = useSearch(query);
  const best = found.data && !found.isPlaceholderData ? found.data[0] : undefined;
  const bestView =
    best?.kind === "exam" ? exams.data?.find((one) => one.id === best.id)?.projections[0] : best?.id;
  useEffect(() => {
    // Enter may come before the answer to what was typed.
    if (wanted.current === null || wanted.current !== query.trim() || bestView === undefined) return;
    wanted.current = null;
    void navigate(`/guide/${bestView}`);
  }, [query, bestView, navigate]);
  useKeys([{ keys: ["/"], shown: "/", does: "search", run: () => focusField("guide-search") }]);
  const open = projections.data?.find((one) => one.id === id);
  useTitle(open ? `${open.exam} ${open.name}, Guide` : "Guide");
  const failed = projections.error ?? exams.error;
  if (failed) return <Refusal error={failed} className="m-6" />;
  if (!projections.data || !exams.data)
    return (
      <div className="p-6">
        <Waiting what="the catalogue" />
      </div>
    );
  const hits = query.trim()
    ? (found.data ?? [])
        .flatMap((hit) =>
          hit.kind === "projection"
            ? [hit.id]
            : (exams.data.find((one) => one.id === hit.id)?.projections ?? []),
        )
        .filter((one, i, all) => all.indexOf(one) === i)
    : null;
  const shown = hits
    ? hits.flatMap((one) => projections.data.find((other) => other.id === one) ?? [])
    : projections.data;
  const first = projections.data[0];
  const chosen = projections.data.find((one) => one.id === id) ?? first;
  if (!chosen) return <Empty title="The catalogue is empty" />;
  return (
    <div className="grid flex-1 grid-cols-[17rem_minmax(0,1fr)] print:block xl:grid-cols-[20rem_minmax(0,1fr)]">
      <nav
        aria-label="Projections"
        className="no-print flex h-[calc(100vh-3.25rem)] flex-col border-r border-rule"
      >
        <div className="border-b border-rule px-4 py-2">
          <label htmlFor="guide-search" className="label block">
            Search: part, view, abbreviation, other name
          </label>
          <input
            id="guide-search"
            type="search"
            autoComplete="off"
            className="min-h-touch w-full rounded-sm border border-rule-strong bg-transparent px-2.5"
            value={query}
            onChange={(event) => setQuery(event.currentTarget.value)}
            onKeyDown={(event) => {
              if (event.key !== "Enter" || !query.trim()) return;
              if (bestView !== undefined) void navigate(`/guide/${bestView}`);
              else wanted.current = query.trim();
            }}
          />
        </div>
        <List projections={shown} chosen={chosen.id} grouped={hits === null} />
      </nav>
      <Sheet
        key={chosen.id}
        id={chosen.id}
        room={room}
        exams={exams.data}
        choices={choices.data}
        all={projections.data}
      />
    </div>
  );
}

function List({
  projections,
  chosen,
  grouped,
}: {
  projections: Projection[];
  chosen: string;
  grouped: boolean;
}) {
  if (projections.length === 0)
    return <p className="px-4 py-3 text-ink-2">Nothing like it. Try the part of the body.</p>;
  return (
    <ul className="min-h-0 flex-1 overflow-y-auto py-1">
      {projections.map((one, i) => (
        <li key={one.id}>
          {grouped && projections[i - 1]?.exam !== one.exam && (
            <p className="px-4 pt-2 text-note text-ink-3">{one.exam}</p>
          )}
          <Link
            to={`/guide/${one.id}`}
            aria-current={one.id === chosen ? "page" : undefined}
            ref={one.id === chosen ? intoView : undefined}
            className={`flex min-h-touch items-center border-l-2 px-4 py-1 leading-tight ${one.id === chosen ? "border-ink bg-raised font-semibold" : "border-transparent text-ink-2 hover:text-ink"}`}
          >
            {grouped ? one.name : `${one.exam} ${one.name}`}
            {one.local && <span className="ml-2 text-note text-ink-2">ours</span>}
          </Link>
        </li>
      ))}
    </ul>
  );
}

const NOTHING_SAID = {
  mat_cm: 0,
  jaw_cm: 0,
  thickness_confirmed: false,
  digit: "",
  as_brought: false,
} as const;

const intoView = (node: HTMLElement | null) => node?.scrollIntoView({ block: "center" });

const CHILD: Record<string, string> = {
  newborn: "newborn",
  "1y": "1 month to 3 y",
  "5y": "4 to 9 y",
  "10y": "10 to 13 y",
  "15y": "14 to 17 y",
};

function Sheet({
  id,
  room,
  exams,
  choices,
  all,
}: {
  id: string;
  room: Room | undefined;
  exams: Exam[];
  choices: Choices | undefined;
  all: Projection[];
}) {
  const mayChange = useMay("keeper", "physicist", "admin");
  const page = usePage(id);
  const { unit } = usePreferences();
  const onBody = (text: string) => lengthsIn(text, unit, true);
  const shown = (cm: number) => trimmed(fromCm(cm, unit), 1);
  const hand = useHand();
  if (page.isError) return <Refusal error={page.error} className="m-6" />;
  const one = page.data;
  if (!one)
    return (
      <div className="p-6">
        <Waiting what="the page" />
      </div>
    );
  const words = choices?.words;
  // Without a room every support of the view is told of, and the gap of none.
  const supports = one.supports.filter(
    (support) => !room || room.supports.some((there) => there.id === support),
  );
  const windows = new Map(one.kvp_on.map(([support, window]) => [support, window as number[]]));
  const digits = one.digits.filter((digit) => digitWords(digit) !== "");
  const oid = supports.map((support) => {
    const gap = room?.supports.find((there) => there.id === support)?.gap_cm ?? 0;
    return `${length(one.structure_cm + gap, unit)} (${SUPPORT[support]})`;
  });
  return (
    <article className="min-w-0 px-6 py-4">
      <header className="relative flex flex-wrap items-baseline gap-x-4 border-b border-rule pr-24 pb-2">
        <h1 className="text-[1.75rem] leading-tight">
          {one.exam} <span className="font-normal">{one.name}</span>
        </h1>
        <p className="text-ink-2">{one.shows}</p>
        <p className="no-print absolute top-0 right-0">
          <button type="button" className={buttonClass("plain")} onClick={() => window.print()}>
            Print
          </button>
        </p>
        {one.also.length > 0 && (
          <p className="w-full text-note text-ink-3">Also found as: {one.also.join(", ")}</p>
        )}
      </header>
      <div className="mt-3 grid gap-x-8 gap-y-4 lg:grid-cols-[minmax(0,1.1fr)_minmax(0,1fr)]">
        <div>
          <Body page={one} className="h-64 w-full" />
          <Section title="How">
            <p>
              <Said onBody>{one.position}</Said>
            </p>
            <Facts
              rows={[
                ["Measure", onBody(one.measure)],
                ["Central ray", onBody(withFingers(one.central_ray, hand))],
                ["Collimate", `${onBody(one.collimate)} Field ${receptorSize(one.field_cm, unit)}.`],
                [
                  "Receptor",
                  `${receptorSize(one.receptor_cm, unit)}, ${(one.receptor_cm[1] ?? 0) >= (one.receptor_cm[0] ?? 0) ? "lengthwise" : "crosswise"}`,
                ],
                ["Breathing", one.breathing.map((code) => words?.breathing?.[code] ?? code).join(" Or: ")],
                [
                  "Marker",
                  `${words?.marker?.[one.marker] ?? one.marker}${one.marker_note ? ` Note: ${one.marker_note}.` : ""}`,
                ],
                ["Shielding", one.shields.map((code) => words?.shield?.[code] ?? code).join(" ")],
              ]}
            />
          </Section>
          <Schools title="Tube angle" ways={one.angles} none="Perpendicular to the receptor." />
          {one.turns.length > 0 && <Schools title="Turn of the part" ways={one.turns} none="" />}
          {digits.length > 0 && (
            <Section title="Digit by digit">
              <Facts
                rows={digits.map((digit) => [
                  digitNames(one.region, words)[digit.digit] ?? digit.digit,
                  onBody(digitWords(digit)),
                ])}
              />
            </Section>
          )}
          <Section title="Who cannot be positioned so">
            <ul>
              {one.variants.map((variant) => (
                <li key={variant.who} className="py-0.5">
                  <b className="font-semibold">{variant.who}:</b> <Said onBody>{variant.do}</Said>{" "}
                  {variant.instead && (
                    <Link className="underline underline-offset-2" to={`/guide/${variant.instead}`}>
                      {nameOf(all, variant.instead)}
                    </Link>
                  )}
                </li>
              ))}
            </ul>
          </Section>
          {room && (
            <Section title={`Methods in ${room.name}, average adult`}>
              <Methods
                {...{ room, unit }}
                request={{
                  room: room.id,
                  projection: one.id,
                  thickness_cm: one.thickness_cm.average,
                  ...NOTHING_SAID,
                }}
              />
            </Section>
          )}
        </div>
        <div>
          <Section title="Numbers">
            <Facts
              rows={[
                [
                  "Thickness",
                  `${[one.thickness_cm.small, one.thickness_cm.average, one.thickness_cm.large].map(shown).join(" / ")} ${unit} (small, average, large)`,
                ],
                ...(Object.keys(one.child_cm).length > 0
                  ? [
                      [
                        "Children, typical",
                        Object.entries(one.child_cm)
                          .map(([band, cm]) => `${CHILD[band] ?? band} ${shown(cm)}`)
                          .join(" · ") + ` ${unit}`,
                      ] as [string, string],
                    ]
                  : []),
                [
                  "SID",
                  [
                    length(one.sid_cm, unit) +
                      (one.minimum_sid_cm ? `, not under ${shown(one.minimum_sid_cm)}` : ""),
                    ...one.sid_choices.map(
                      (choice) => `${length(choice.cm, unit)}: ${lengthsIn(choice.why, unit)}`,
                    ),
                  ].join(". "),
                ],
                [
                  "kVp usual",
                  [
                    one.kvp_window.join(" to "),
                    ...[...windows].map(([support, window]) => `${SUPPORT[support]} ${window.join(" to ")}`),
                  ].join("; "),
                ],
                [
                  "Grid",
                  one.grid_over_cm == null ? "Never" : `Usual above ${length(one.grid_over_cm, unit)}`,
                ],
                [
                  "AEC",
                  one.aec_cells === "none"
                    ? "None: manual"
                    : `Chamber ${one.aec_cells} where there is a Bucky`,
                ],
                ["Focus", one.focal_spot.replaceAll("_", " ")],
                [
                  "Time",
                  `at most ${one.time_ceiling_ms} ms${one.breathing[0] === "slow" ? "; breathing technique 2 to 4 s" : ""}`,
                ],
                ["To the receptor", oid.join(", ") || "–"],
                [
                  "Dose, example level",
                  one.dose_levels
                    .filter((level) => level.kg === null)
                    .map((level) => `${level.value} ${level.unit} ${QUANTITY[level.quantity]}`)
                    .join("; ") || "No example level",
                ],
              ]}
            />
            <p className="mt-1 text-note text-ink-3">
              Textbook-typical starting points, unconfirmed until your department signs them.
            </p>
          </Section>
          <Section title="A good image shows">
            <ul className="ml-4 list-disc">
              {one.look_for.map((text) => (
                <li key={text}>
                  <Said onBody>{text}</Said>
                </li>
              ))}
            </ul>
          </Section>
          {one.faults.length > 0 && (
            <Section title="What goes wrong, and what to change">
              <dl>
                {one.faults.map(([seen, change]) => (
                  <div key={seen} className="border-t border-rule py-1">
                    <dt className="font-semibold">
                      <Said>{seen}</Said>
                    </dt>
                    <dd className="text-ink-2">
                      <Said>{change}</Said>
                    </dd>
                  </div>
                ))}
              </dl>
            </Section>
          )}
          <Section title="How it looks">
            <Pictures key={one.id} projection={one.id} thicknessCm={one.thickness_cm.average} />
          </Section>
          <Section title="In the beam">
            <p className="text-ink-2">
              {trimmed(one.composition.bone_mm, 1)} mm of bone,{" "}
              {Math.round(100 * one.composition.lung_fraction)} % lung,{" "}
              {Math.round(100 * one.composition.fat)} % fat at the average adult. {one.composition.why}
            </p>
          </Section>
          <Section title="Exams">
            <p className="text-ink-2">
              {one.exams.map((key) => exams.find((exam) => exam.id === key)?.name ?? key).join("; ") ||
                "In no set."}
            </p>
          </Section>
          {mayChange && <Department page={one} />}
          <HandRuler />
        </div>
      </div>
    </article>
  );
}

const nameOf = (all: Projection[], id: string) => {
  const one = all.find((other) => other.id === id);
  return one ? `${one.exam} ${one.name}` : id;
};

function Section({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section className="mt-3 first:mt-0">
      <h2 className="border-b border-rule text-body text-ink-3">{title}</h2>
      <div className="pt-1">{children}</div>
    </section>
  );
}

function Facts({ rows }: { rows: [string, string][] }) {
  return (
    <dl className="mt-1 grid grid-cols-[8.5rem_1fr] gap-x-3 gap-y-0.5">
      {rows.map(([name, value]) => (
        <div key={name} className="contents">
          <dt className="text-ink-3">{name}</dt>
          <dd>{value}</dd>
        </div>
      ))}
    </dl>
  );
}

function Schools({ title, ways, none }: { title: string; ways: Page["angles"]; none: string }) {
  return (
    <Section title={title}>
      {ways.length === 0 ? (
        <p>{none}</p>
      ) : (
        <ul>
          {ways.map((way, i) => (
            <li key={way.school} className="py-0.5">
              <b className="font-semibold">{way.name}</b>
              {ways.length > 1 && i === 0 && <span className="text-ink-2"> · taken here</span>}{" "}
              <span className="text-ink-2">
                <Said>{way.why}</Said>
              </span>
            </li>
          ))}
        </ul>
      )}
    </Section>
  );
}
