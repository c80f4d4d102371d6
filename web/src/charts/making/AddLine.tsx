import { useState } from "react";

import type { Schemas } from "../../api/client";
import { type Chart, type Projection, type Room, useAddFromExposure, type Version } from "../../api/queries";
import { usePreferences } from "../../ui/preferences";
import { NewLine } from "./NewLine";

/** A line from one accepted exposure, added to the draft; without one a draft is started. */
export function AddLine({
  room,
  projections,
  chart,
  projection,
  goesTo,
  openDraft,
  onDone,
  onCancel,
}: {
  room: Room;
  projections: Projection[];
  chart: Chart | undefined;
  projection: string | null;
  goesTo: string;
  openDraft: () => Promise<Version>;
  onDone: (chart: number, line: number | null) => void;
  onCancel: () => void;
}) {
  const { unit } = usePreferences();
  const add = useAddFromExposure();
  const [error, setError] = useState<unknown>(null);
  async function addLine(request: Schemas["AcceptedExposureIn"]) {
    setError(null);
    try {
      const target = await openDraft();
      const line = await add.mutateAsync({ chart: target.id, body: request });
      onDone(target.id, line.id ?? null);
    } catch (reason) {
      setError(reason);
    }
  }
  return (
    <NewLine
      room={room}
      projections={projections}
      lines={chart?.lines ?? []}
      unit={unit}
      projection={projection}
      goesTo={goesTo}
      adding={add.isPending}
      error={error}
      onAdd={(request) => void addLine(request)}
      onCancel={onCancel}
    />
  );
}
