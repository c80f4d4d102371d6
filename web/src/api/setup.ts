import { useQuery } from "@tanstack/react-query";

import { useSessionChange } from "./bench";
import client, { type Schemas, unwrap } from "./client";
import { CHARTS, ofRoom, type Room, ROOMS, type Session, useChange } from "./queries";

export type Setup = Schemas["Setup"];
export type StepName = Schemas["SetupStep"]["name"];
export type Department = Schemas["Department"];

/** How far the department is on its way from an empty server to the first technique. */
export const useSetup = () =>
  useQuery({ queryKey: ["setup"], queryFn: () => unwrap<Setup>(client.GET("/api/setup")), staleTime: 0 });

/** The first person, by the code in the server's file; signed in at once. */
export const useBegin = () =>
  useSessionChange(
    (body: Schemas["FirstPerson"]) => unwrap<Session>(client.POST("/api/setup", { body })),
    ["setup"],
  );

export const useKeepDepartment = () =>
  useChange(
    (body: Department) => unwrap<Department>(client.PUT("/api/department", { body })),
    ["setup", "start"],
  );

export const useRoomTemplates = () =>
  useQuery({
    queryKey: ["room-templates"],
    queryFn: () => unwrap<Schemas["RoomTemplate"][]>(client.GET("/api/room-templates")),
    staleTime: Infinity,
  });

export const useRoomFromFile = () =>
  useChange((body: Room) => unwrap<Room>(client.POST("/api/rooms/import", { body })), ROOMS);

export const useRoomFromWorkbook = () =>
  useChange(
    (body: Schemas["WorkbookIn"]) => unwrap<Room>(client.POST("/api/rooms/import/xlsx", { body })),
    ROOMS,
  );

export const useDraftFromModel = () =>
  useChange(
    ({ room, body }: { room: string; body: Schemas["FromModelIn"] }) =>
      unwrap<Schemas["ChartOut"]>(
        client.POST("/api/rooms/{room_id}/draft-from-model", { ...ofRoom(room), body }),
      ),
    CHARTS,
  );
