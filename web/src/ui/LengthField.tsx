import type { ComponentProps } from "react";

import { NumberField } from "./NumberField";
import { usePreferences } from "./preferences";
import { fromCm, toCm, trimmed } from "./units";

type Props = Omit<ComponentProps<typeof NumberField>, "unit" | "value" | "placeholder" | "onChange"> & {
  /** In cm, as everything is kept; shown and typed in the unit of the person. */
  value: number | null | undefined;
  /** In cm too: what holds while nothing is typed. Words stand as they are. */
  placeholder?: number | string | null | undefined;
  onChange: (cm: number | null) => void;
};

/** A field for a length: kept in cm, typed in whichever unit the person works in. */
export function LengthField({ value, placeholder, onChange, digits = 1, ...rest }: Props) {
  const { unit } = usePreferences();
  return (
    <NumberField
      {...rest}
      unit={unit}
      digits={digits}
      value={value == null ? null : fromCm(value, unit)}
      placeholder={
        typeof placeholder === "number" ? trimmed(fromCm(placeholder, unit), digits) : (placeholder ?? "")
      }
      onChange={(typed) => onChange(typed === null ? null : toCm(typed, unit))}
    />
  );
}
