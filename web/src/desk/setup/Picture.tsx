import type { TechniqueResponse } from "../../api/queries";
import { SetUpDrawing } from "../../ui/SetUpDrawing";
import { CM_PER_IN, fieldSize, length, signed, trimmed, type Unit } from "../../ui/units";
import { type Act } from "../useDesk";
import { Said } from "../../ui/Said";
import type { Patient, Side } from "../state";
import { Look } from "./Look";

/** The set-up drawn to scale, its figures, what another SID would bring, and about how the image would look. */
export function Picture({
  answer,
  unit,
  act,
  projection,
  patient,
  receptor,
  side,
}: {
  answer: TechniqueResponse;
  unit: Unit;
  act: Act;
  projection: string;
  patient: Patient;
  receptor: string;
  side: Side;
}) {
  const { figures, technique, forecast } = answer;
  const tilted = figures.tube_angle_deg !== 0;
  return (
    <div className="text-note">
      <SetUpDrawing
        view={{
          sidCm: technique.sid_cm,
          angleDeg: figures.tube_angle_deg,
          gapCm: figures.gap_cm,
          thicknessCm: figures.thickness_cm,
          fieldCm: figures.field_cm[1] ?? 30,
          horizontal: figures.beam === "horizontal",
          grid: technique.grid_ratio > 0,
          shiftCm: figures.receptor_shift_cm,
        }}
        unit={unit}
        className="h-56 w-full 2xl:h-72"
      />
      <dl className="mt-1 grid grid-cols-[auto_1fr] gap-x-3">
        <Row name="Magnification">
          {figures.magnification.toFixed(2)} at the structure, {length(figures.oid_cm, unit)} from the
          receptor
        </Row>
        <Row name="Blur">
          {figures.geometric_blur_mm.toFixed(2)} mm from the focus
          {forecast.unsharpness_mm != null && `, ${forecast.unsharpness_mm.toFixed(2)} mm in all`}
        </Row>
        {tilted && (
          <Row name="Tube">
            focus {length(figures.tube_height_cm, unit)} {figures.beam === "vertical" ? "up" : "away"}; left
            at the detent the SID is {length(figures.sid_if_left_cm, unit)}, mAs ×
            {figures.mas_factor_if_left.toFixed(2)}
          </Row>
        )}
        {tilted && (
          <Row name="Receptor">centre it {length(figures.receptor_shift_cm, unit)} along the ray</Row>
        )}
        <Row name="Light on skin">
          {fieldSize(figures.field_at_skin_cm, unit)} for {fieldSize(figures.field_cm, unit)} at the receptor
        </Row>
        {figures.heel && (
          <Row name="Heel">
            <Said>{figures.heel.said}</Said>
          </Row>
        )}
        {figures.beyond_cm2 > 1 && (
          <Row name="Beyond the part">
            <span className="text-warn">
              {trimmed(figures.beyond_cm2 / (unit === "cm" ? 1 : CM_PER_IN ** 2), 0)} {unit}²,{" "}
              {trimmed(figures.beyond_percent, 0)} % of the field: close it
            </span>
          </Row>
        )}
      </dl>
      {figures.other_sids.length > 0 && (
        <table className="mt-2 w-full text-right" aria-label="Another SID">
          <thead>
            <tr className="text-ink-3">
              <th className="text-left font-normal">Another SID</th>
              <th className="font-normal">magnifies</th>
              <th className="font-normal">blur</th>
              <th className="font-normal">mAs, time</th>
            </tr>
          </thead>
          <tbody>
            {figures.other_sids.map((one) => (
              <tr key={one.sid_cm} className="border-t border-rule">
                <td className="text-left">
                  <button
                    type="button"
                    className="min-h-touch underline decoration-rule-strong underline-offset-2 hover:decoration-ink"
                    onClick={() => act({ do: "setup", change: { sid_cm: one.sid_cm, tube_height_cm: null } })}
                  >
                    {length(one.sid_cm, unit)}
                  </button>
                </td>
                <td>
                  {one.magnification.toFixed(2)}{" "}
                  <span className="text-ink-3">{signed(one.magnification - figures.magnification, 2)}</span>
                </td>
                <td>{one.blur_mm.toFixed(2)} mm</td>
                <td>×{one.mas_factor.toFixed(2)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <Look {...{ answer, projection, patient, receptor, side }} />
    </div>
  );
}

function Row({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <>
      <dt className="text-ink-3">{name}</dt>
      <dd className="text-ink-2">{children}</dd>
    </>
  );
}
