import { keepPreviousData, useQuery } from "@tanstack/react-query";

import client, { type Schemas, unwrap } from "./client";
import { ofRoom, useChange } from "./queries";

export type ConstancyTest = Schemas["ConstancyTestOut"];
export type RoomDue = Schemas["RoomDue"];
export type Standing = Schemas["Due"];
/** Which test of a room: it stands so in an address. */
export const nameOf = ({ test, receptor }: Pick<Standing, "test" | "receptor">) =>
  receptor ? `${test} ${receptor}` : test;

export type Done = Schemas["Done"];
export type Sheet = Schemas["SheetIn"];

export const useConstancyTests = () =>
  useQuery({
    queryKey: ["constancy", "tests"],
    queryFn: () => unwrap<ConstancyTest[]>(client.GET("/api/constancy-tests")),
  });

/** What is overdue in each room, and what failed. */
export const useRoomsDue = () =>
  useQuery({
    queryKey: ["constancy", "due"],
    queryFn: () => unwrap<Schemas["RoomDue"][]>(client.GET("/api/rooms-due")),
  });

/** How each test stands in a room, and what was done. */
export const useConstancy = (room: string) =>
  useQuery({
    queryKey: ["constancy", room],
    queryFn: () =>
      unwrap<Schemas["RoomConstancy"]>(client.GET("/api/rooms/{room_id}/constancy", ofRoom(room))),
  });

/** What an entry sheet says; nothing is kept. */
export const useOutcome = (room: string, sheet: Sheet | null) =>
  useQuery({
    queryKey: ["constancy outcome", room, sheet],
    queryFn: ({ signal }) =>
      unwrap<Schemas["Outcome"]>(
        client.POST("/api/rooms/{room_id}/constancy/outcome", {
          ...ofRoom(room),
          body: sheet as Sheet,
          signal,
        }),
      ),
    enabled: sheet !== null,
    placeholderData: keepPreviousData,
    gcTime: 30_000,
  });

export const useKeepDone = (room: string) =>
  useChange(
    (body: Schemas["DoneIn"]) =>
      unwrap<Done>(client.POST("/api/rooms/{room_id}/constancy", { ...ofRoom(room), body })),
    ["constancy", "room-history"],
  );

export const useSetTolerance = () =>
  useChange(
    ({ test, body }: { test: string; body: Schemas["ToleranceIn"] }) =>
      unwrap<ConstancyTest>(
        client.PUT("/api/constancy-tests/{test_id}", { params: { path: { test_id: test } }, body }),
      ),
    ["constancy"],
  );

/** A sheet as the simulated instruments of the demo read it. */
export const useInstruments = (room: string) =>
  useChange(
    (test: string) =>
      unwrap<Record<string, number>[]>(
        client.GET("/api/rooms/{room_id}/constancy/{test_id}/simulated", {
          params: { path: { room_id: room, test_id: test } },
        }),
      ),
    [],
  );
