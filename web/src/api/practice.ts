import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";

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
export const useUsual = (asked: Case) =>
  useQuery({
    queryKey: ["practice", "usual", asked],
    queryFn: () => unwrap<Schemas["Console"]>(client.POST("/api/practice/usual", { body: asked })),
    placeholderData: keepPreviousData,
  });

export const useExpose = () =>
  useMutation({
    mutationFn: (body: Schemas["ExposureIn"]) =>
      unwrap<PracticeImage>(client.POST("/api/practice/exposures", { body })),
  });

export type Task = Schemas["Task"];
export type Judged = Schemas["JudgedOut"];
export type Drill = Schemas["DrillOut"];
export type ClassTest = Schemas["ClassOut"];

const STANDING = ["practice", "drills"];

export const useDrills = () =>
  useQuery({
    queryKey: STANDING,
    queryFn: () => unwrap<Drill[]>(client.GET("/api/practice/drills")),
  });

/** The task of a drill for a seed, or the next one of a track where no seed is said. */
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
    mutationFn: (track: string) =>
      unwrap<Task>(client.GET("/api/practice/next", { params: { query: { track } } })),
  });

export const useTaskImage = (task: Task | null) =>
  useQuery({
    queryKey: ["practice", "image", task?.drill, task?.seed],
    enabled: task?.has_image ?? false,
    queryFn: () =>
      unwrap<PracticeImage>(
        client.GET("/api/practice/drills/{drill_id}/image", {
          params: { path: { drill_id: task?.drill ?? "" }, query: { seed: task?.seed ?? 0 } },
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
    ["practice"],
  );

export const useConfusions = (wanted: boolean) =>
  useQuery({
    queryKey: ["practice", "confusions"],
    enabled: wanted,
    queryFn: () => unwrap<Record<string, Record<string, number>>>(client.GET("/api/practice/confusions")),
  });

export const useClassTests = (wanted: boolean) =>
  useQuery({
    queryKey: ["practice", "classes"],
    enabled: wanted,
    queryFn: () => unwrap<ClassTest[]>(client.GET("/api/practice/classes")),
  });

export const useSetClassTest = () =>
  useChange(
    (body: Schemas["ClassIn"]) => unwrap<ClassTest>(client.POST("/api/practice/classes", { body })),
    ["practice"],
  );
