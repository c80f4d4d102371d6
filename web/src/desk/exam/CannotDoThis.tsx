import { Popover } from "radix-ui";

import { type Projection, usePage } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Said } from "../../ui/Said";
import { projectionName } from "../../ui/words";
import { type Act } from "../useDesk";
import { Quiet } from "../../ui/Quiet";

/** What to do for a patient who cannot be positioned as the view asks, and the view that takes its place. */
export function CannotDoThis({
  projection,
  projections,
  at,
  act,
}: {
  projection: Projection;
  projections: Projection[];
  at: number;
  act: Act;
}) {
  const ways = usePage(projection.id).data?.variants ?? [];
  if (ways.length === 0) return null;
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Quiet>Cannot do this …</Quiet>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="bottom"
          align="end"
          sideOffset={4}
          aria-label="Cannot be positioned so"
          className="z-50 w-96 max-w-[92vw] rounded-sm border border-rule-strong bg-raised p-3 shadow-lg"
        >
          <ul className="flex flex-col gap-2">
            {ways.map(({ who, do: what, instead }) => (
              <li key={who}>
                <b className="font-semibold">{who}:</b> <Said onBody>{what}</Said>
                {instead && (
                  <Popover.Close asChild>
                    <Button
                      className="mt-1 w-full"
                      onClick={() => act({ do: "method", at, projection: instead })}
                    >
                      {projectionName(
                        projections.find((one) => one.id === instead),
                        instead,
                      )}{" "}
                      instead
                    </Button>
                  </Popover.Close>
                )}
              </li>
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
