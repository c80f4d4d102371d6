import { useQuery } from "@tanstack/react-query";

import client, { type Schemas, unwrap } from "./client";
import { useChange } from "./queries";

export type DoseLevelRow = Schemas["DoseLevelOut"];

export const useDoseLevels = () =>
  useQuery({
    queryKey: ["dose-levels"],
    queryFn: () => unwrap<DoseLevelRow[]>(client.GET("/api/dose-levels")),
  });

const LEVELS = ["dose-levels", "lists", "page", "technique", "what-if"];

/** One level of the department's own; without a value the shipped one holds again. */
export const useSetDoseLevel = () =>
  useChange(
    ({ projection, body }: { projection: string; body: Schemas["LevelIn"] }) =>
      unwrap<DoseLevelRow[]>(
        client.PUT("/api/projections/{projection_id}/dose-levels", {
          params: { path: { projection_id: projection } },
          body,
        }),
      ),
    LEVELS,
  );

/** The department's own, from CSV: all of them, or none with every fault named. */
export const useTakeDoseLevels = () =>
  useChange(
    (csv: string) => unwrap<DoseLevelRow[]>(client.PUT("/api/dose-levels", { body: { csv } })),
    LEVELS,
  );
