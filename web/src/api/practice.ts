import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";

import client, { type Schemas, unwrap } from "./client";

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
