import type { Line, Projection, Room, Version } from "../../api/queries";

/** What every way of making a whole draft is given. */
export interface Making {
  room: Room;
  projections: Projection[];
  /** The version that is not approved yet: what is made goes into it, unless it is proposed. */
  open: Version | undefined;
  nextVersion: number;
  making: boolean;
  error: unknown;
  onMake: (name: string, lines: Line[], note: string) => void;
  /** Lines went into the version that is open. */
  onTaken: () => void;
  onCancel: () => void;
}
