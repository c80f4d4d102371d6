import { keepPreviousData, useQuery } from "@tanstack/react-query";

import client, { type Schemas, unwrap } from "./client";
import { type Job, LATER, worked } from "./jobs";
import { ofRoom, useChange } from "./queries";

export type Board = Schemas["BoardOut"];
export type Repeats = Schemas["RepeatsOut"];
export type ViewOnBoard = Schemas["ViewOnBoard"];
export type Share = Schemas["Share"];
export type Alert = Schemas["AlertOut"];
export type Control = Schemas["ControlOut"];
export type Series = Schemas["SeriesOut"];
export type Learned = Schemas["LearnedOut"];
export type Worked = Schemas["WorkedOut"];
export type WhyOff = Schemas["WhyOffOut"];
export type Day = Schemas["Day"];
export type Detail = Schemas["ExposureDetail"];
export type TakenIn = Schemas["TakenIn"];
export type WaitingImages = Schemas["WaitingOut"];

/** What a change of the log touches. */
const OF_LOG = ["log", "exposures", "trend"];

export interface Period {
  room: string;
  since?: string;
  until?: string;
}

export const useBoard = (period: Period) =>
  useQuery({
    queryKey: ["log", "board", period],
    queryFn: () => unwrap<Board>(client.GET("/api/log/board", { params: { query: { ...period } } })),
  });

export const useRepeats = (period: Period) =>
  useQuery({
    queryKey: ["log", "repeats", period],
    queryFn: () => unwrap<Repeats>(client.GET("/api/log/repeats", { params: { query: { ...period } } })),
  });

export const useDays = (room: string, projection: string) =>
  useQuery({
    queryKey: ["log", "days", room, projection],
    queryFn: () => unwrap<Day[]>(client.GET("/api/log/days", { params: { query: { room, projection } } })),
    placeholderData: keepPreviousData,
  });

export const useAlerts = (room: string) =>
  useQuery({
    queryKey: ["log", "alerts", room],
    queryFn: () => unwrap<Alert[]>(client.GET("/api/log/alerts", { params: { query: { room } } })),
  });

export const useNoteAlert = (room: string) =>
  useChange(
    (body: Schemas["AlertNoteIn"]) =>
      unwrap<Alert[]>(client.POST("/api/rooms/{room_id}/alert-notes", { ...ofRoom(room), body })),
    ["log"],
  );

export const useSeries = (room: string) =>
  useQuery({
    queryKey: ["log", "series", room],
    queryFn: () => unwrap<Series[]>(client.GET("/api/rooms/{room_id}/series", ofRoom(room))),
  });

export const useControlChart = (room: string, series: string | null) =>
  useQuery({
    queryKey: ["log", "control", room, series],
    queryFn: () =>
      unwrap<Control>(
        client.GET("/api/rooms/{room_id}/control-chart", {
          params: { path: { room_id: room }, query: series ? { series } : {} },
        }),
      ),
    placeholderData: keepPreviousData,
  });

/** Accepts a period of a series as how it should be; takes that back where no day is said. */
export const useAcceptBaseline = (room: string) =>
  useChange(
    (body: Schemas["BaselineIn"]) =>
      unwrap<Control>(client.PUT("/api/rooms/{room_id}/control-chart/baseline", { ...ofRoom(room), body })),
    ["log"],
  );

const FILTERS = "filters of the log";

/** The filters that whoever is signed in keeps. */
export const useKeptFilters = (wanted: boolean) =>
  useQuery({
    queryKey: [FILTERS],
    enabled: wanted,
    queryFn: () => unwrap<Schemas["KeptFilter"][]>(client.GET("/api/log/filters")),
  });

export const useKeepFilter = () =>
  useChange(
    (body: Schemas["KeptFilterIn"]) =>
      unwrap<Schemas["KeptFilter"][]>(client.PUT("/api/log/filters", { body })),
    [FILTERS],
  );

export const useDropFilter = () =>
  useChange(
    (name: string) =>
      unwrap<Schemas["KeptFilter"][]>(client.DELETE("/api/log/filters", { params: { query: { name } } })),
    [FILTERS],
  );

/** Where the worklist is asked for. */
export const useWorklistServer = (wanted: boolean) =>
  useQuery({
    queryKey: ["worklist server"],
    enabled: wanted,
    queryFn: () => unwrap<Schemas["WorklistOut"]>(client.GET("/api/modality-worklist")),
  });

export const useSetWorklistServer = () =>
  useChange(
    (body: Schemas["WorklistServerIn"]) =>
      unwrap<Schemas["WorklistOut"]>(client.PUT("/api/modality-worklist", { body })),
    ["worklist server", "waiting"],
  );

export const useWhyOff = (room: string, projection: string | null) =>
  useQuery({
    queryKey: ["log", "why", room, projection],
    enabled: projection !== null,
    queryFn: () =>
      unwrap<WhyOff>(
        client.GET("/api/rooms/{room_id}/why-off", {
          params: { path: { room_id: room }, query: { projection: projection ?? "" } },
        }),
      ),
  });

export const useLearned = (room: string) =>
  useQuery({
    queryKey: ["log", "learned", room],
    queryFn: () => unwrap<Learned>(client.GET("/api/rooms/{room_id}/learned", ofRoom(room))),
  });

export const useWorked = (room: string) =>
  useQuery({
    queryKey: ["log", "worked", room],
    queryFn: () => unwrap<Worked[]>(client.GET("/api/rooms/{room_id}/tuned", ofRoom(room))),
  });

export const useTune = (room: string) =>
  useChange(
    (lines: number[]) =>
      unwrap<Schemas["ChartOut"]>(
        client.POST("/api/rooms/{room_id}/tuned-draft", { ...ofRoom(room), body: { lines } }),
      ),
    ["charts", "chart", "versions", "log"],
  );

export const useDetail = (id: number | null) =>
  useQuery({
    queryKey: ["log", "exposure", id],
    enabled: id !== null,
    queryFn: () =>
      unwrap<Detail>(
        client.GET("/api/exposures/{exposure_id}", { params: { path: { exposure_id: id ?? 0 } } }),
      ),
  });

export const useIncident = (id: number) =>
  useChange(
    (body: Schemas["IncidentIn"]) =>
      unwrap<Schemas["Incident"] | null>(
        client.POST("/api/exposures/{exposure_id}/incident", { params: { path: { exposure_id: id } }, body }),
      ),
    ["log"],
  );

export const useCloseIncident = (id: number) =>
  useChange(
    (outcome: string) =>
      unwrap<Schemas["Incident"] | null>(
        client.POST("/api/exposures/{exposure_id}/incident/close", {
          params: { path: { exposure_id: id } },
          body: { outcome },
        }),
      ),
    ["log"],
  );

export const useWaitingImages = () =>
  useQuery({
    queryKey: ["log", "images"],
    queryFn: () => unwrap<WaitingImages>(client.GET("/api/log/images/waiting")),
  });

/** What the listener refused: when, from whom and why. */
export const useRefusedObjects = () =>
  useQuery({
    queryKey: ["log", "images", "refused"],
    queryFn: () => unwrap<Schemas["RefusedObject"][]>(client.GET("/api/log/images/refused")),
  });

/** Takes objects in, however many batches they are. */
export const useTakeIn = (told: (job: Job | null) => void) =>
  useChange(
    (body: Schemas["ObjectsIn"]) => worked<TakenIn>(client.POST("/api/log/images", { body, ...LATER }), told),
    OF_LOG,
  );

export const useAnswer = () =>
  useChange(
    (body: Schemas["AnswerIn"]) => unwrap<TakenIn>(client.POST("/api/log/images/answers", { body })),
    OF_LOG,
  );

export const useSaySame = () =>
  useChange(
    ({ key, exposure }: { key: string; exposure: number | null }) =>
      unwrap<TakenIn>(
        client.POST("/api/log/images/{key}/same", { params: { path: { key } }, body: { exposure } }),
      ),
    OF_LOG,
  );

export const useTablePreview = (body: { file: string; mapping: Record<string, string> }) =>
  useQuery({
    queryKey: ["table of exposures", body],
    queryFn: () => unwrap<Schemas["TablePreview"]>(client.POST("/api/log/table/preview", { body })),
    placeholderData: keepPreviousData,
    gcTime: 30_000,
  });

export const useTakeTable = () =>
  useChange(
    (body: { file: string; mapping: Record<string, string>; room?: string }) =>
      unwrap<TakenIn>(client.POST("/api/log/table", { body })),
    OF_LOG,
  );
