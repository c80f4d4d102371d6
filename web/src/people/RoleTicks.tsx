import type { Role } from "../api/queries";
import { ROLE } from "../ui/words";
import { Tick } from "./Tick";

/** Roles to be ticked; told: with what each does. */
export function RoleTicks({
  offered,
  roles,
  told = false,
  onChange,
}: {
  offered: Role[];
  roles: Role[];
  told?: boolean;
  onChange: (roles: Role[]) => void;
}) {
  return offered.map((role) => (
    <label key={role} className="flex items-center">
      <Tick
        label={ROLE[role]?.name ?? role}
        on={roles.includes(role)}
        onChange={() =>
          onChange(roles.includes(role) ? roles.filter((one) => one !== role) : [...roles, role])
        }
      />
      <span>
        {ROLE[role]?.name}
        {told && <span className="text-note text-ink-3"> {ROLE[role]?.does}</span>}
      </span>
    </label>
  ));
}
