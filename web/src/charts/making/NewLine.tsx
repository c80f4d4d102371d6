import type { Schemas } from "../../api/client";
import { type Line, type Projection, type Room, useDepartment, usePreview } from "../../api/queries";
import { Button } from "../../ui/Button";
import { useDraft } from "../../ui/drafts";
import { Empty, Refusal, Waiting } from "../../ui/Notice";
import { NumberField } from "../../ui/NumberField";
import { Segmented } from "../../ui/Segmented";
import { figure, lengthsIn, signed, type Unit } from "../../ui/units";
import { SYSTEM } from "../../ui/words";
import { ConditionFields, type Conditions, startingConditions } from "./ConditionFields";
import { LineView } from "../editor/LineView";
import { LengthField } from "../../ui/LengthField";

type Request = Schemas["AcceptedExposureIn"];
type School = NonNullable<Request["school"]>;

const PARAMETER: Record<School, { label: string; usual: string }> = {
  fixed_kvp: { label: "mAs doubles every", usual: "by model; taught 4.5 cm" },
  variable_kvp: { label: "kVp per cm", usual: "by model; taught 2" },
  banded: { label: "mAs doubles every", usual: "by model; taught 4.5 cm" },
  levelled: { label: "kVp per cm, in steps of 5", usual: "0: kVp stays" },
};

interface Typed {
  conditions: Conditions | null;
  exposure: {
    thickness_cm: number | null;
    kvp: number | null;
    mas: number | null;
    shown_index: number | null;
  };
  school: School;
  parameter: number | null;
}

interface Props {
  room: Room;
  /** The lines that the room's chart has already. */
  lines: Line[];
  projections: Projection[];
  unit: Unit;
  /** What the line is for, where that is known already. */
  projection: string | null;
  /** Where the line goes: "version 3", or a version that adding it will start. */
  goesTo: string;
  adding: boolean;
  error: unknown;
  onAdd: (request: Request) => void;
  onCancel: () => void;
}

/** A line from one accepted exposure: the conditions and the exposure on the left, what would come of it on the right. */
export function NewLine({
  room,
  lines,
  projections,
  unit,
  projection,
  goesTo,
  adding,
  error,
  onAdd,
  onCancel,
}: Props) {
  const { data: department } = useDepartment();
  const first = projections.find((one) => one.id === projection) ?? projections[0];
  const [typed, setTyped] = useDraft<Typed>(`new-line ${room.id} ${projection ?? ""}`, () => ({
    conditions: first ? startingConditions(first, room, lines) : null,
    exposure: { thickness_cm: null, kvp: null, mas: null, shown_index: null },
    school: (Object.keys(SYSTEM).find((one) => one === department?.system) ?? "fixed_kvp") as School,
    parameter: null,
  }));
  const { conditions, exposure, school, parameter } = typed;
  const put = (change: Partial<Typed>) => setTyped((now) => ({ ...now, ...change }));
  // A doubling is a length, a rate of kVp is not.
  const Parameter = school === "fixed_kvp" || school === "banded" ? LengthField : NumberField;
  const request = conditions && requestOf(conditions, exposure, school, parameter, projections);
  const preview = usePreview(room.id, request);
  if (!conditions) return <Empty title="The catalogue has no projection" />;
  const receptor = room.receptors.find((one) => one.id === conditions.receptor);
  const digital = receptor?.kind !== "film_screen";
  const shown = request ? preview.data : undefined;
  return (
    <form
      aria-label="New line from an accepted exposure"
      className="grid grid-cols-[22rem_minmax(0,1fr)] gap-8 px-5 py-4"
      onSubmit={(event) => {
        event.preventDefault();
        if (request) onAdd(request);
      }}
    >
      <div className="flex flex-col gap-4">
        <h2 className="text-lead">New line from an accepted exposure</h2>
        <ConditionFields
          room={room}
          projections={projections}
          lines={lines}
          value={conditions}
          onChange={(next) => put({ conditions: next })}
        />
        <fieldset className="border-t border-rule pt-3">
          <legend className="text-ink-2">The accepted exposure</legend>
          <div className="mt-1 grid grid-cols-2 gap-2.5">
            <LengthField
              id="base-thickness"
              label="Measured thickness"
              value={exposure.thickness_cm}
              onChange={(thickness_cm) => put({ exposure: { ...exposure, thickness_cm } })}
            />
            {digital && (
              <NumberField
                id="base-index"
                label={`${receptor?.index_scale?.name ?? "Index"}, if there is one`}
                value={exposure.shown_index}
                onChange={(shown_index) => put({ exposure: { ...exposure, shown_index } })}
              />
            )}
            <NumberField
              id="base-kvp"
              label="kVp"
              value={exposure.kvp}
              onChange={(kvp) => put({ exposure: { ...exposure, kvp } })}
            />
            <NumberField
              id="base-mas"
              label="mAs"
              value={exposure.mas}
              onChange={(mas) => put({ exposure: { ...exposure, mas } })}
            />
          </div>
        </fieldset>
        <fieldset className="border-t border-rule pt-3">
          <legend className="text-ink-2">System</legend>
          <Segmented
            label="Method"
            value={school}
            options={Object.entries(SYSTEM).map(([value, label]) => ({ value, label }))}
            onChange={(value) => put({ school: value as School, parameter: null })}
          />
          <Parameter
            id="parameter"
            className="mt-2 w-2/3"
            label={PARAMETER[school].label}
            value={parameter}
            placeholder={lengthsIn(PARAMETER[school].usual, unit)}
            onChange={(next) => put({ parameter: next })}
          />
        </fieldset>
        <div className="flex gap-2 border-t border-rule pt-3">
          <Button type="submit" tone="main" disabled={!shown || preview.isError || adding}>
            Add to {goesTo}
          </Button>
          <Button tone="quiet" onClick={onCancel}>
            Cancel
          </Button>
        </div>
        {error != null && <Refusal error={error} />}
      </div>
      <div className="min-w-0" aria-live="polite">
        {!request ? (
          <Empty title="The line appears here">
            Enter the thickness, kVp and mAs of an exposure whose image was accepted.
          </Empty>
        ) : preview.isError ? (
          <Refusal error={preview.error} />
        ) : !shown ? (
          <Waiting what="the line" />
        ) : (
          <>
            {shown.base_di != null && shown.base_mas != null && (
              <p className="mb-2">
                The exposure was DI {signed(shown.base_di)}; on target it would have been{" "}
                <b>{figure(shown.base_mas)} mAs</b>. The line starts there.
              </p>
            )}
            <LineView table={shown} unit={unit} />
          </>
        )}
      </div>
    </form>
  );
}

function requestOf(
  conditions: Conditions,
  exposure: Typed["exposure"],
  school: School,
  parameter: number | null,
  projections: Projection[],
): Request | null {
  const { low_cm, high_cm, sid_cm, target_ei, ...plain } = conditions;
  const { thickness_cm, kvp, mas, shown_index } = exposure;
  if (thickness_cm === null || kvp === null || mas === null || sid_cm === null) return null;
  const usual = projections.find((one) => one.id === conditions.projection)?.usual_range_cm;
  const range =
    usual && (low_cm !== null || high_cm !== null) ? [low_cm ?? usual[0], high_cm ?? usual[1]] : null;
  const line = {
    ...plain,
    sid_cm,
    note: "",
    ...(target_ei === null ? {} : { target_ei }),
    ...(range ? { range_cm: range } : {}),
  };
  return {
    line: line as Request["line"],
    thickness_cm,
    kvp,
    mas,
    school,
    ...(shown_index === null ? {} : { shown_index }),
    ...(parameter === null ? {} : { parameter }),
  };
}
