import type { Room } from "../../api/queries";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/TextField";
import { Figure, Remove, Rows, Section } from "./parts";

type Filter = NonNullable<Room["filters"]>[number];

export function Filters({ filters, set }: { filters: Filter[]; set: (filters: Filter[]) => void }) {
  const put = (at: number, change: Partial<Filter>) =>
    set(filters.map((one, i) => (i === at ? { ...one, ...change } : one)));
  return (
    <Section
      title="Tube filters"
      says="Filters that can be switched in before the tube, on top of what is always there. None: leave the list empty."
    >
      {filters.length > 0 && (
        <Rows label="Tube filters" heads={["Name", "Added, mm Al", "Added, mm Cu", ""]}>
          {filters.map((one, i) => (
            <tr key={one.id} className="border-t border-rule">
              <td data-about="filter">
                <TextField
                  bare
                  id={`filter:${one.id}`}
                  label={`Name, ${one.name}`}
                  value={one.name}
                  onChange={(name) => put(i, { name })}
                />
              </td>
              <td className="w-28">
                <Figure
                  bare
                  id={`filter:al-${one.id}`}
                  label={`Added aluminium, ${one.name}`}
                  value={one.mm_al ?? 0}
                  set={(mm_al) => put(i, { mm_al })}
                />
              </td>
              <td className="w-28">
                <Figure
                  bare
                  id={`filter:cu-${one.id}`}
                  label={`Added copper, ${one.name}`}
                  value={one.mm_cu ?? 0}
                  set={(mm_cu) => put(i, { mm_cu })}
                />
              </td>
              <td className="w-24">
                <Remove what={one.name} onClick={() => set(filters.filter((_, j) => i !== j))} />
              </td>
            </tr>
          ))}
        </Rows>
      )}
      <div>
        <Button onClick={() => set([...filters, newFilter(filters)])}>Add a filter</Button>
      </div>
    </Section>
  );
}

function newFilter(known: Filter[]): Filter {
  let number = known.length + 1;
  while (known.some((one) => one.id === `filter-${number}`)) number++;
  return { id: `filter-${number}`, name: "1 mm Al + 0.1 mm Cu", mm_al: 1, mm_cu: 0.1 };
}
