import type { Wrong } from "../api/practice";

/** What can be got wrong on purpose, each in one step. */
export const WRONGS: Record<string, { name: string; wrong: Partial<Wrong> }> = {
  turned: { name: "Turned 12°", wrong: { turned_deg: 12 } },
  off: { name: "Centred 4 cm low", wrong: { off_cm: [0, -4] } },
  moved: { name: "Moved 4 mm", wrong: { moved_mm: 4 } },
  grid_off: { name: "Grid 4 cm off centre", wrong: { grid_offset_cm: 4 } },
  grid_focus: { name: "Grid made for 180 cm", wrong: { grid_focal_cm: 180 } },
  grid_down: { name: "Grid upside down", wrong: { grid_upside_down: true } },
  shutters: { name: "Shutters 4 cm aside", wrong: { shutters_off_cm: [4, 0] } },
  necklace: { name: "Necklace left on", wrong: { artefacts: ["necklace"] } },
  shield: { name: "Shield in the field", wrong: { artefacts: ["shield"] } },
};

export type Marker = "marker L" | "marker R";

/** Some of them together, with the side marker that is always there. */
export function wrongOf(chosen: readonly string[], marker: Marker): Wrong {
  const all = chosen.map((one) => WRONGS[one]?.wrong ?? {});
  const artefacts = all.flatMap((one) => one.artefacts ?? []);
  return Object.assign({}, ...all, { artefacts: [marker, ...artefacts] }) as Wrong;
}
