import { keepPreviousData, skipToken, useMutation, useQuery } from "@tanstack/react-query";

import client, { type Schemas, unwrap } from "./client";
import { useChange } from "./queries";

export type Case = Schemas["CaseIn"];
export type Console = Schemas["ConsoleIn"];
export type Wrong = Schemas["WrongIn"];
export type PracticeImage = Schemas["PracticeImage"];
export type Picture = Schemas["Picture"];

export const usePracticeLists = () =>
  useQuery({
    queryKey: ["practice", "lists"],
    queryFn: () => unwrap<Schemas["PracticeLists"]>(client.GET("/api/practice/lists")),
    staleTime: Infinity,
  });

/** A usual technique for a case: where practice begins. */
export const useUsual = (asked: Case | undefined) =>
  useQuery({
    queryKey: ["practice", "usual", asked],
    queryFn: asked
      ? () => unwrap<Schemas["Console"]>(client.POST("/api/practice/usual", { body: asked }))
      : skipToken,
    placeholderData: keepPreviousData,
  });

export const useLightField = (asked: Schemas["LightFieldIn"]) =>
  useQuery({
    queryKey: ["practice", "light field", asked],
    queryFn: () =>
      unwrap<Schemas["LightFieldOut"]>(client.POST("/api/practice/light-field", { body: asked })),
    // What was seen of another patient is nobody's; of this one the picture stays until the next is there.
    placeholderData: (before, query) =>
      JSON.stringify((query?.queryKey[2] as typeof asked | undefined)?.case) === JSON.stringify(asked.case)
        ? before
        : undefined,
    gcTime: 60_000,
  });

export const useExpose = () =>
  useMutation({
    mutationFn: (body: Schemas["ExposureIn"]) =>
      unwrap<PracticeImage>(client.POST("/api/practice/exposures", { body })),
  });

type Finding = NonNullable<Schemas["ResultRequest"]["findings"]>[number];
export type Task = Schemas["Task"];
export type Judged = Schemas["JudgedOut"];
export type Drill = Schemas["DrillOut"];
export type ClassTest = Schemas["ClassOut"];

/** What an answer changes: how somebody does, not tasks and images. */
const RESULTS = "practice results";

export const useDrills = () =>
  useQuery({
    queryKey: [RESULTS, "drills"],
    queryFn: () => unwrap<Drill[]>(client.GET("/api/practice/drills")),
  });

/** The task of a drill for a seed, at the usual level: as class tests have it. */
export const useTask = (wanted: { drill: string; seed: number } | null) =>
  useQuery({
    queryKey: ["practice", "task", wanted],
    enabled: wanted !== null,
    queryFn: () =>
      unwrap<Task>(
        client.GET("/api/practice/drills/{drill_id}", {
          params: { path: { drill_id: wanted?.drill ?? "" }, query: { seed: wanted?.seed ?? 0 } },
        }),
      ),
    staleTime: Infinity,
  });

export const useNextTask = () =>
  useMutation({
    mutationFn: ({ track, level }: { track: string; level: number | null }) =>
      unwrap<Task>(client.GET("/api/practice/next", { params: { query: { track, level } } })),
  });

/** A pack of images to be judged one after the other. */
export const usePack = () =>
  useMutation({
    mutationFn: (level: number) =>
      unwrap<Task[]>(client.GET("/api/practice/pack", { params: { query: { level } } })),
  });

export const useTaskImage = (task: Task | null) =>
  useQuery({
    queryKey: ["practice", "image", task?.drill, task?.seed, task?.level],
    enabled: task?.has_image ?? false,
    queryFn: () =>
      unwrap<PracticeImage>(
        client.GET("/api/practice/drills/{drill_id}/image", {
          params: {
            path: { drill_id: task?.drill ?? "" },
            query: { seed: task?.seed ?? 0, level: task?.level ?? 2 },
          },
        }),
      ),
    staleTime: Infinity,
    gcTime: 60_000,
  });

export const useHint = (task: Task) =>
  useMutation({
    mutationFn: () =>
      unwrap<string>(
        client.GET("/api/practice/drills/{drill_id}/hint", {
          params: { path: { drill_id: task.drill }, query: { seed: task.seed } },
        }),
      ),
  });

export const useAnswerTask = (drill: string) =>
  useChange(
    (body: Schemas["TaskAnswerIn"]) =>
      unwrap<Judged>(
        client.POST("/api/practice/drills/{drill_id}/answers", {
          params: { path: { drill_id: drill } },
          body,
        }),
      ),
    [RESULTS],
  );

export const useConfusions = (wanted: boolean) =>
  useQuery({
    queryKey: [RESULTS, "confusions"],
    enabled: wanted,
    queryFn: () => unwrap<Record<string, Record<string, number>>>(client.GET("/api/practice/confusions")),
  });

export const useClassTests = (wanted: boolean) =>
  useQuery({
    queryKey: [RESULTS, "classes"],
    enabled: wanted,
    queryFn: () => unwrap<ClassTest[]>(client.GET("/api/practice/classes")),
  });

export const useSetClassTest = () =>
  useChange(
    (body: Schemas["ClassIn"]) => unwrap<ClassTest>(client.POST("/api/practice/classes", { body })),
    [RESULTS],
  );

export const useGuidePictures = (projection: string, wanted: boolean) =>
  useQuery({
    queryKey: ["practice", "guide", projection],
    enabled: wanted,
    queryFn: () =>
      unwrap<Schemas["PicturedOut"][]>(
        client.GET("/api/practice/guide/{projection_id}", {
          params: { path: { projection_id: projection } },
        }),
      ),
    staleTime: Infinity,
    gcTime: 300_000,
  });

export const useLook = (asked: Schemas["LookIn"], wanted: boolean) =>
  useQuery({
    queryKey: ["practice", "look", asked],
    enabled: wanted,
    queryFn: () => unwrap<PracticeImage>(client.POST("/api/practice/looks", { body: asked })),
    gcTime: 60_000,
  });

export const useLooksLike = (finding: Finding | null, projection: string) =>
  useQuery({
    queryKey: ["practice", "looks like", finding, projection],
    enabled: finding !== null,
    queryFn: () =>
      unwrap<Schemas["PicturedOut"][]>(
        client.GET("/api/practice/looks-like/{finding}", {
          params: { path: { finding: finding ?? "noisy" }, query: { projection } },
        }),
      ),
    staleTime: Infinity,
    gcTime: 300_000,
  });
