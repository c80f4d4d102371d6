import type { ReactNode } from "react";
import { Link } from "react-router";

import type { Choices, Projection, TechniqueResponse } from "../../api/queries";
import { useHand, withFingers } from "../../ui/hand";
import { Said } from "../../ui/Said";
import { receptorSize, type Unit } from "../../ui/units";
import { letGo } from "../../ui/letGo";
import { turnWords } from "../setup/turnWords";
import { digitNames, digitWords } from "../../ui/words";
import { type DeskState, type Digit, type Side, sideOf, type Stop } from "../state";
import { type Act } from "../useDesk";
import { CannotDoThis } from "./CannotDoThis";

interface Props {
  projection: Projection;
  projections: Projection[];
  state: DeskState;
  act: Act;
  stop: Stop;
  /** How many images the view takes. */
  images: number;
  choices: Choices | undefined;
  answer: TechniqueResponse | undefined;
  changes: string[];
  openClearance: string | null;
  unit: Unit;
}

/** What the hands do for this view, in the order of the work: what changes, marker, receptor, position, centring, breath. */
export function HowTo({
  projection,
  projections,
  state,
  act,
  stop,
  images,
  choices,
  answer,
  changes,
  openClearance,
  unit,
}: Props) {
  const hand = useHand();
  const words = choices?.words;
  const breathing = projection.breathing.map((code) => words?.breathing?.[code] ?? code).join(" Or: ");
  const [across, along] = projection.receptor_cm;
  const side = sideOf(state, stop);
  const paired = projection.marker !== "body" || stop.pair !== "" || state.side !== "";
  const turn = turnWords(answer?.turn);
  const { digits } = projection;
  const own = digits.find((one) => one.digit === state.digit);
  const names = digitNames(projection.region, words);
  const lies = stop.setup.diagonal
    ? "diagonal"
    : along > across
      ? "lengthwise"
      : along < across
        ? "crosswise"
        : "";
  return (
    <section aria-label="This view" className="px-4 py-1.5 xl:px-5">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <h2 className="text-lead leading-tight">
          <Link
            to={`/guide/${projection.id}`}
            className="-my-2 inline-flex min-h-touch items-center underline decoration-rule-strong underline-offset-4 hover:decoration-ink"
            title="Open its page in the Guide"
          >
            {projection.exam} {projection.name}
          </Link>
        </h2>
        <span className="text-ink-2">
          {receptorSize(projection.receptor_cm, unit)} {lies}
        </span>
        {stop.when && <b className="font-semibold text-warn">Only: {stop.when}.</b>}
        {stop.note && <Said onBody>{stop.note}</Said>}
        {images > 1 && (
          <span data-testid="image">
            Image {stop.image} of {images}
          </span>
        )}
        {state.question && <span className="text-ink-2">Request: {state.question}</span>}
        <span className="ml-auto">
          <CannotDoThis {...{ projection, projections, act }} at={state.at} />
        </span>
      </div>
      {openClearance !== null && (
        <p className="font-semibold text-warn">◇ Not recorded yet: {openClearance}.</p>
      )}
      {changes.length > 0 && (
        <p data-part="change">
          <span className="text-ink-2">Change from the last view: </span>
          <b className="font-semibold">
            <Said>{changes.join(" ")}</Said>
          </b>
        </p>
      )}
      <dl className="mt-0.5 grid grid-cols-[auto_minmax(0,1fr)] gap-x-3 leading-snug">
        <Row name="Marker">
          <span data-part="marker">
            {paired && (
              <SideSwitch
                side={side}
                other={stop.pair === "other"}
                recorded={stop.recorded_side !== null}
                act={act}
              />
            )}
            {words?.marker?.[projection.marker] ?? projection.marker}{" "}
            {projection.marker_note && `(${projection.marker_note})`}
          </span>
        </Row>
        {digits.length > 0 && (
          <Row name={projection.region === "lower_limb" ? "Toe" : "Finger"}>
            <DigitSwitch {...{ digits, act }} digit={state.digit} names={names} />
            {!own && digits.some((one) => one.turned) && "Which one? Each turns its own way."}
            {own && <Said onBody>{digitWords(own)}</Said>}
          </Row>
        )}
        <Row name="Position">
          <Said onBody>{projection.position}</Said>
          {turn && !own?.turned && ` Turn: ${turn}.`}
        </Row>
        <Row name="Measure">
          <Said onBody>{projection.measure}</Said>
        </Row>
        <Row name="Centre">
          <Said onBody>{withFingers(projection.central_ray, hand)}</Said>
        </Row>
        <Row name="Breathing">{breathing}</Row>
        {projection.shields.includes("lead_behind") && (
          <Row name="Scatter">Lead rubber on the table behind the part.</Row>
        )}
      </dl>
    </section>
  );
}

function Row({ name, children }: { name: string; children: ReactNode }) {
  return (
    <>
      <dt className="text-ink-3">{name}</dt>
      <dd className="text-ink-2">{children}</dd>
    </>
  );
}

/** Which digit this exam is of: a press chooses it, another takes it back. */
function DigitSwitch({
  digits,
  digit,
  names,
  act,
}: {
  digits: Projection["digits"];
  digit: Digit;
  names: Record<string, string>;
  act: Act;
}) {
  return (
    <span role="group" aria-label="Digit" className="mr-2 inline-flex flex-wrap gap-x-1 align-baseline">
      {digits.map((one) => (
        <Pressed
          key={one.digit}
          on={digit === one.digit}
          name={names[one.digit] ?? one.digit}
          press={() => act({ do: "digit", digit: digit === one.digit ? "" : one.digit })}
        >
          {one.digit === digit ? (names[one.digit] ?? one.digit) : one.digit}
        </Pressed>
      ))}
    </span>
  );
}

/** A small button that stays down. */
function Pressed({
  on,
  name,
  press,
  children,
}: {
  on: boolean;
  name: string;
  press: () => void;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      aria-pressed={on}
      aria-label={name}
      onClick={(event) => {
        letGo(event);
        press();
      }}
      className="-my-2.5 inline-flex min-h-touch items-center"
    >
      <span
        className={`min-w-10 rounded-sm border px-2 text-center ${on ? "border-ink bg-sunken font-semibold text-ink" : "border-rule-strong text-ink-2 hover:text-ink"}`}
      >
        {children}
      </span>
    </button>
  );
}

const SIDES = [
  ["right", "R"],
  ["left", "L"],
] as const;

/** Which side this view examines: the marker's letter. Of a pair the other view follows. */
function SideSwitch({
  side,
  other,
  recorded,
  act,
}: {
  side: Side;
  other: boolean;
  recorded: boolean;
  act: Act;
}) {
  // What was recorded of a side is of that side: no key and no press makes it the other one.
  if (recorded)
    return (
      <b className="mr-2 font-semibold" data-testid="side-recorded">
        {side === "both" ? "R and L" : side === "right" ? "R" : side === "left" ? "L" : "No side"}, recorded.
      </b>
    );
  return (
    <span role="group" aria-label="Side" className="mr-2 inline-flex gap-1 align-baseline">
      {SIDES.map(([which, letter]) => (
        <Pressed
          key={which}
          on={side === which}
          name={`${which} side`}
          press={() => {
            const asked = other ? (which === "right" ? "left" : "right") : which;
            act({ do: "side", side: side === which ? "" : asked });
          }}
        >
          {letter}
        </Pressed>
      ))}
      {side === "both" && <b className="self-center font-semibold">R and L.</b>}
    </span>
  );
}
