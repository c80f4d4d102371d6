import { Link } from "react-router";

import type { Projection, Room } from "../../api/queries";
import { useCharted, useMay, useRooms } from "../../api/queries";
import { Button } from "../../ui/Button";
import { projectionName } from "../../ui/words";
import { type Act } from "../useDesk";

const NEAREST = 3;

/** This room's chart has no line for the view: the room that has one, a view like it, or a new line. */
export function NoLine({
  room,
  projection,
  projections,
  at,
  act,
}: {
  room: Room;
  projection: Projection;
  projections: Projection[];
  at: number;
  act: Act;
}) {
  const here = useCharted({ room: room.id }).data?.[room.id] ?? [];
  const there = useCharted({ projection: projection.id }).data ?? {};
  const mayAdd = useMay("keeper", "physicist");
  const elsewhere = (useRooms().data ?? []).filter((one) => one.id !== room.id && one.id in there);
  const like = projections
    .filter((one) => one.id !== projection.id && one.exam === projection.exam && here.includes(one.id))
    .slice(0, NEAREST);
  return (
    <div className="mt-1 flex flex-wrap items-center gap-2">
      {elsewhere.map((one) => (
        <Link
          key={one.id}
          className="underline underline-offset-2"
          to={`/desk?${new URLSearchParams({ room: one.id, view: projection.id }).toString()}`}
        >
          {one.name} has a line
        </Link>
      ))}
      {like.length > 0 && <span className="text-ink-2">In this room instead:</span>}
      {like.map((one) => (
        <Button key={one.id} onClick={() => act({ do: "method", at, projection: one.id })}>
          {projectionName(one, one.id)}
        </Button>
      ))}
      {mayAdd && (
        <Link
          className="underline underline-offset-2"
          to={`/charts?${new URLSearchParams({ room: room.id, do: "new-line", projection: projection.id }).toString()}`}
        >
          New line for it
        </Link>
      )}
    </div>
  );
}
