import { useQuery } from "@tanstack/react-query";

import client, { type Schemas, unwrap } from "./client";
import { useChange } from "./queries";

export type DoseLevelRow = Schemas["DoseLevelOut"];

export const useDoseLevels = () =>
  useQuery({
    queryKey: ["dose-levels"],
    queryFn: () => unwrap<DoseLevelRow[]>(client.GET("/api/dose-levels")),
  });

/** The department's own, from CSV: all of them, or none with every fault named. */
export const useTakeDoseLevels = () =>
  useChange(
    (csv: string) => unwrap<DoseLevelRow[]>(client.PUT("/api/dose-levels", { body: { csv } })),
    ["dose-levels", "start", "page", "technique", "what-if"],
  );
