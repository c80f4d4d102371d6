import { Popover } from "radix-ui";
import type { ReactNode } from "react";

import { Button } from "../../ui/Button";
import { type DeskState } from "../state";
import { type Act } from "../useDesk";

interface Props {
  state: DeskState;
  act: Act;
  /** How many images the view in hand takes. */
  images: number;
  onAdd: () => void;
  /** What else can be done with the views as they stand. */
  children: ReactNode;
}

/** What is done to the list of views: the one in hand skipped, tried again, moved or taken out, another one added. */
export function ChangeViews({ state, act, images, onAdd, children }: Props) {
  const { at, stops } = state;
  const skipped = stops[at]?.status === "skipped";
  const alone = stops.filter((one) => one.projection).length < 2;
  return (
    <Popover.Root>
      <Popover.Trigger
        aria-label="Change views"
        className="min-h-touch px-2 whitespace-nowrap text-ink-2 hover:text-ink"
      >
        Views …
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          aria-label="Change views"
          className="z-50 flex flex-col items-start rounded-sm border border-rule-strong bg-raised p-1 shadow-lg"
        >
          <Closes onPress={() => act({ do: "mark", at, status: skipped ? "todo" : "skipped" })}>
            {skipped ? "Restore" : "Skip"}
          </Closes>
          <Closes onPress={() => act({ do: "repeat" })}>Another try</Closes>
          <Button
            tone="quiet"
            className="px-2!"
            disabled={at === 0}
            onClick={() => act({ do: "move", at, by: -1 })}
          >
            Move earlier
          </Button>
          <Button
            tone="quiet"
            className="px-2!"
            disabled={at === stops.length - 1}
            onClick={() => act({ do: "move", at, by: 1 })}
          >
            Move later
          </Button>
          <Closes disabled={alone} onPress={() => act({ do: "remove", at })}>
            Take out
          </Closes>
          <Closes onPress={() => act({ do: "images", of: images > 1 ? 1 : 2 })}>
            {images > 1 ? "Takes one image" : "Takes two images"}
          </Closes>
          <Closes onPress={onAdd}>Add view</Closes>
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Closes({
  onPress,
  disabled = false,
  children,
}: {
  onPress: () => void;
  disabled?: boolean;
  children: string;
}) {
  return (
    <Popover.Close asChild>
      <Button tone="quiet" className="px-2!" disabled={disabled} onClick={onPress}>
        {children}
      </Button>
    </Popover.Close>
  );
}
