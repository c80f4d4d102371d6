import {
  keepPreviousData,
  MutationCache,
  QueryClient,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";

import { useEffect } from "react";

import { preferences } from "../ui/preferences";
import type { operations } from "./schema";
import client, { carry, lastAsked, Refused, type Schemas, unwrap } from "./client";

export type Room = Schemas["Room"];
export type RoomSummary = Schemas["RoomSummary"];
export type Projection = Schemas["ProjectionOut"];
export type Exam = Schemas["ExamOut"];
export type Choices = Schemas["Choices"];
export type Page = Schemas["ProjectionPage"];
export type Hit = Schemas["Hit"];
export type Waiting = Schemas["Waiting"];
export type ExposureRequest = Schemas["ExposureRequest"];
export type RunSheet = Schemas["RunSheet"];
export type RunSheetRequest = Schemas["RunSheetRequest"];
export type LocalEntry = Schemas["LocalOut"];
export type Chart = Schemas["ChartOut"];
/** A chart version as it stands in a list: without its lines. */
export type Version = Schemas["ListedVersion"];
export type Line = Schemas["ChartLine"];
export type LineTable = Schemas["LineTable"];
export type TechniqueRequest = Schemas["TechniqueRequest"];
export type TechniqueResponse = Schemas["TechniqueResponse"];
export type Way = Schemas["WayResponse"];
export type Choice = Schemas["Choice"];
export type Readings = Schemas["Readings"];
export type Fit = Schemas["FitOut"];
export type Judgement = Schemas["Judgement"];
export type Exposure = Schemas["Exposure"];
export type Trend = Schemas["Trend"];
export type Session = Schemas["SessionOut"];
export type Person = Schemas["Person"];
export type Role = Person["roles"][number];

export function makeQueryClient(): QueryClient {
  const queries: QueryClient = new QueryClient({
    // Nobody is signed in any more, or somebody else is: what the views know of who is here is asked for again.
    mutationCache: new MutationCache({
      onError: (error) => {
        if (error instanceof Refused && [401, 403].includes(error.problem.status))
          void queries.invalidateQueries({ queryKey: ["start"] });
      },
    }),
    defaultOptions: {
      queries: {
        refetchOnWindowFocus: false,
        staleTime: 10_000,
        // A refusal stays a refusal; only silence is worth asking again.
        retry: (count, error) => error instanceof Refused && error.problem.status === 0 && count < 2,
        networkMode: "always",
      },
      // Nothing waits for the network to come back: what was not kept now is not kept behind anybody's back.
      mutations: { networkMode: "always" },
    },
  });
  return queries;
}

const fixed = { staleTime: Infinity };

type Start = Schemas["Start"];

/** What every view begins with, asked for once; each hook below looks at its part. */
function useStart<T>(select: (start: Start) => T) {
  return useQuery({
    queryKey: ["start"],
    // With the signal: an answer that was asked for before somebody signed in or out says nothing of who is here now.
    queryFn: async ({ signal, client: queries }) => {
      const asked = new URLSearchParams(window.location.search).get("room") ?? preferences().room;
      const start = await unwrap<Start>(
        client.GET("/api/start", { params: { query: { room: asked } }, signal }),
      );
      signal.throwIfAborted();
      carry(start.session.token ?? null);
      // The room in hand comes with it: the view that wants it does not ask a second time.
      if (start.room) {
        const { id } = start.room;
        queries.setQueryData(["room", id], start.room);
        queries.setQueryData(["charted", { room: id }], start.charted ? { [id]: start.charted } : {});
      }
      return start;
    },
    select,
    ...fixed,
  });
}

const partOf = {
  rooms: (start: Start): RoomSummary[] => start.rooms,
  session: (start: Start): Session => start.session,
  department: (start: Start): Schemas["Department"] => start.department,
  demo: (start: Start): boolean => start.demo,
};

/** Every room by name; what is in one is asked for where it is looked at. */
export const useRooms = () => useStart(partOf.rooms);

/** One room with its equipment. */
export const useRoom = (room: string | undefined) =>
  useQuery({
    queryKey: ["room", room],
    queryFn: () => unwrap<Room>(client.GET("/api/rooms/{room_id}", ofRoom(room ?? ""))),
    enabled: room !== undefined,
    ...fixed,
  });

type Lists = Schemas["Lists"];

/** What is picked from in every room, asked for once; each hook below looks at its part. */
function useLists<T>(select: (lists: Lists) => T) {
  return useQuery({
    queryKey: ["lists"],
    queryFn: () => unwrap<Lists>(client.GET("/api/lists")),
    select,
    ...fixed,
  });
}

const listOf = {
  projections: (lists: Lists): Projection[] => lists.projections,
  exams: (lists: Lists): Exam[] => lists.exams,
  choices: (lists: Lists): Choices => lists.choices,
};

export const useProjections = () => useLists(listOf.projections);
export const useExams = () => useLists(listOf.exams);
export const useChoices = () => useLists(listOf.choices);

/** The projections that the approved charts have lines for, by room: of one room, or the rooms of one projection. */
export const useCharted = (of: { room: string } | { projection: string }) =>
  useQuery({
    queryKey: ["charted", of],
    queryFn: () =>
      unwrap<Record<string, string[]>>(client.GET("/api/charted", { params: { query: { ...of } } })),
    ...fixed,
  });

/** Who is signed in, and what a demo offers. */
export const useSession = () => useStart(partOf.session);

/** What the department is called and starts with; whether all of it is the invented clinic. */
export const useDepartment = () => useStart(partOf.department);
export const useDemo = () => useStart(partOf.demo);

const LOOK_EVERY_MS = 20_000;

/** A console left alone for longer than its session lasts shows that nobody is signed in any more. */
export function useIdleEnd() {
  const queries = useQueryClient();
  const { data: session } = useSession();
  const minutes = session?.person ? session.idle_minutes : null;
  useEffect(() => {
    if (minutes === null) return;
    const timer = window.setInterval(() => {
      if (Date.now() - lastAsked() > minutes * 60_000 + LOOK_EVERY_MS)
        void queries.invalidateQueries({ queryKey: ["start"] });
    }, LOOK_EVERY_MS);
    return () => window.clearInterval(timer);
  }, [queries, minutes]);
}

/** Whether the person at the console has one of these roles. */
export function useMay(...roles: Role[]): boolean {
  const session = useSession();
  return roles.some((role) => session.data?.person?.roles.includes(role));
}

/** Exams and views by what somebody types. */
export const useSearch = (query: string) =>
  useQuery({
    queryKey: ["search", query.trim()],
    queryFn: ({ signal }) =>
      unwrap<Hit[]>(client.GET("/api/search", { params: { query: { q: query.trim() } }, signal })),
    enabled: query.trim() !== "",
    placeholderData: keepPreviousData,
    ...fixed,
  });

export type GlossaryTerm = Schemas["Term"];

/** The words of Oakbeam, asked for once somebody wants one explained. */
export const useGlossary = (wanted: boolean) =>
  useQuery({
    queryKey: ["glossary"],
    queryFn: () => unwrap<GlossaryTerm[]>(client.GET("/api/glossary")),
    enabled: wanted,
    ...fixed,
  });

export const usePage = (projection: string) =>
  useQuery({
    queryKey: ["page", projection],
    queryFn: () =>
      unwrap<Page>(
        client.GET("/api/projections/{projection_id}", { params: { path: { projection_id: projection } } }),
      ),
    ...fixed,
  });

export const useWorklist = (wanted: boolean) =>
  useQuery({
    queryKey: ["waiting"],
    queryFn: () => unwrap<Waiting[]>(client.GET("/api/waiting")),
    enabled: wanted,
  });

/** Says that nothing more is to be taken of a request of the worklist. */
export const useCloseRequest = () =>
  useChange(
    (study_key: string) =>
      unwrap(client.POST("/api/waiting/{study_key}/close", { params: { path: { study_key } } })),
    ["waiting"],
  );

/** Says which exam a procedure of the worklist is; remembered for all of its kind. */
export const useExamOfProcedure = () =>
  useChange(
    (body: Schemas["ExamOfProcedure"]) =>
      unwrap<Schemas["WorklistOut"]>(client.POST("/api/modality-worklist/exams", { body })),
    ["waiting"],
  );

/** An exam's steps with their techniques and what changes between them. */
export const useRunSheet = (request: RunSheetRequest | null) =>
  useQuery({
    queryKey: ["run-sheet", request],
    queryFn: ({ signal }) =>
      unwrap<RunSheet>(client.POST("/api/run-sheets", { body: request as RunSheetRequest, signal })),
    enabled: request !== null,
    staleTime: 2_000,
    gcTime: 30_000,
  });

export const useClearance = () =>
  useMutation({
    mutationFn: (body: Schemas["ClearanceIn"]) =>
      unwrap<Schemas["ClearanceRecord"]>(client.POST("/api/clearances", { body })),
  });

/** What the (simulated) receptor shows after an exposure. */
/** An index scale from its constants or from readings, with what it shows; asked of the server, which knows the rule. */
export const useIndexScale = (asked: Schemas["ScaleIn"] | null) =>
  useQuery({
    queryKey: ["index scale", asked],
    queryFn: ({ signal }) =>
      unwrap<Schemas["ScaleOut"]>(
        client.POST("/api/index-scales", { body: asked as Schemas["ScaleIn"], signal }),
      ),
    enabled: asked !== null,
    placeholderData: keepPreviousData,
    gcTime: 30_000,
  });

export const useReadOut = () =>
  useMutation({
    mutationFn: (body: TechniqueRequest) =>
      unwrap<Schemas["ReadOut"]>(client.POST("/api/read-outs", { body })),
  });

export const useLocalEntries = () =>
  useQuery({
    queryKey: ["local"],
    queryFn: () => unwrap<LocalEntry[]>(client.GET("/api/catalogue/local")),
  });

const VERSIONS_A_PAGE = 50;

/** The versions of a room's chart, newest first, a page at a time. */
export function useVersions(room: string) {
  const pages = useInfiniteQuery({
    queryKey: ["charts", "versions", room],
    queryFn: ({ pageParam: before }) =>
      unwrap<Version[]>(
        client.GET("/api/chart-versions", { params: { query: { room, before, limit: VERSIONS_A_PAGE } } }),
      ),
    initialPageParam: null as number | null,
    getNextPageParam: (page) => (page.length === VERSIONS_A_PAGE ? page[page.length - 1]?.id : undefined),
  });
  return { ...pages, data: pages.data?.pages.flat() };
}

/** Of every room the version that is approved and the one that is not yet: to compare with or to adapt. */
export const useVersionsInUse = () =>
  useQuery({
    queryKey: ["charts", "in-use"],
    queryFn: () =>
      unwrap<Version[]>(
        client.GET("/api/chart-versions", { params: { query: { in_use: true, limit: 200 } } }),
      ),
  });

/** One chart version with its lines. */
export const useChart = (chart: number | undefined) =>
  useQuery({
    queryKey: ["chart", chart],
    queryFn: () => unwrap<Chart>(client.GET("/api/charts/{chart_id}", ofChart(chart ?? 0))),
    enabled: chart !== undefined,
  });

export const useTables = (chart: Chart | undefined) =>
  useQuery({
    queryKey: ["tables", chart?.id, chart?.revision],
    queryFn: () =>
      unwrap<LineTable[]>(
        client.GET("/api/charts/{chart_id}/tables", { params: { path: { chart_id: chart?.id ?? 0 } } }),
      ),
    enabled: chart !== undefined,
    // The last tables stay while the same chart is read anew, never while another one is: its lines are not this chart's.
    placeholderData: (last, query) => (query?.queryKey[1] === chart?.id ? last : undefined),
  });

/** The technique for a request, and for no other: while it is on its way there is none. */
export const useTechnique = (request: TechniqueRequest | null) =>
  useQuery({
    queryKey: ["technique", request],
    queryFn: ({ signal }) =>
      unwrap<TechniqueResponse>(
        client.POST("/api/techniques", { body: request as TechniqueRequest, signal }),
      ),
    enabled: request !== null,
    staleTime: 2_000,
    gcTime: 30_000,
  });

const ASK_AGAIN_MS = 3_000;

/** While the server is out of reach it is asked every few seconds; once it answers, everything is asked for anew. */
export function useReachAgain(out: boolean) {
  const queries = useQueryClient();
  useEffect(() => {
    if (!out) return;
    const timer = window.setInterval(() => {
      void client.GET("/api/health").then(
        () => queries.invalidateQueries(),
        () => undefined,
      );
    }, ASK_AGAIN_MS);
    return () => window.clearInterval(timer);
  }, [queries, out]);
}

/** What else would give the receptor the same; asked for only while it is looked at. */
export const useWhatIf = (request: TechniqueRequest, dose: Schemas["WhatIf"]["dose"]) =>
  useQuery({
    queryKey: ["what-if", request, dose],
    queryFn: ({ signal }) =>
      unwrap<Schemas["WhatIf"]>(
        client.POST("/api/what-if", { body: request, params: { query: { dose } }, signal }),
      ),
    gcTime: 30_000,
  });

/** The methods of a view beside each other; asked for only while they are looked at. */
export const useWays = (request: TechniqueRequest) =>
  useQuery({
    queryKey: ["ways", request],
    queryFn: ({ signal }) => unwrap<Way[]>(client.POST("/api/ways", { body: request, signal })),
    gcTime: 30_000,
  });

export const usePreview = (room: string, request: Schemas["AcceptedExposureIn"] | null) =>
  useQuery({
    queryKey: ["preview", room, request],
    queryFn: ({ signal }) =>
      unwrap<LineTable>(
        client.POST("/api/rooms/{room_id}/line-preview", {
          params: { path: { room_id: room } },
          body: request as Schemas["AcceptedExposureIn"],
          signal,
        }),
      ),
    enabled: request !== null,
    placeholderData: keepPreviousData,
    gcTime: 30_000,
  });

export const useJudgement = (request: Schemas["ResultRequest"] | null) =>
  useQuery({
    queryKey: ["judgement", request],
    queryFn: ({ signal }) =>
      unwrap<Judgement>(
        client.POST("/api/judgements", { body: request as Schemas["ResultRequest"], signal }),
      ),
    enabled: request !== null,
    gcTime: 30_000,
  });

/** Which exposures are asked for: whatever the list of the log can be narrowed by. */
export type LogFilter = Omit<
  NonNullable<operations["list_exposures_api_exposures_get"]["parameters"]["query"]>,
  "limit" | "before_id"
>;

export const useExposures = (filter: LogFilter | null, limit = 100) =>
  useQuery({
    enabled: filter !== null,
    queryKey: ["exposures", filter, limit],
    queryFn: () =>
      unwrap<Exposure[]>(client.GET("/api/exposures", { params: { query: { ...filter, limit } } })),
    placeholderData: keepPreviousData,
  });

export const useTrend = (filter: LogFilter) =>
  useQuery({
    queryKey: ["trend", filter],
    queryFn: () => unwrap<Trend>(client.GET("/api/exposures/trend", { params: { query: { ...filter } } })),
    placeholderData: keepPreviousData,
  });

/** A change; afterwards everything that could show it is asked for again. */
export function useChange<In, Out>(change: (given: In) => Promise<Out>, touches: string[]) {
  const queries = useQueryClient();
  return useMutation<Out, Refused, In>({
    mutationFn: change,
    onSuccess: () => Promise.all(touches.map((key) => queries.invalidateQueries({ queryKey: [key] }))),
  });
}

export const CHARTS = [
  ...["setup", "chart", "charts", "charted", "tables"],
  ...["technique", "what-if", "ways", "bench"],
];
export const ROOMS = ["start", "room", "room-history", "constancy", ...CHARTS];
const CATALOGUE = ["lists", "local", "page", "technique", "run-sheet", "search"];
const LOG = ["exposures", "trend", "technique", "log", "waiting"];
export const ofChart = (chart: number) => ({ params: { path: { chart_id: chart } } });

export const ofRoom = (room: string) => ({ params: { path: { room_id: room } } });

export const useRoomHistory = (room: string) =>
  useQuery({
    queryKey: ["room-history", room],
    queryFn: () => unwrap<Schemas["Change"][]>(client.GET("/api/rooms/{room_id}/history", ofRoom(room))),
  });

export type ProgramRow = Schemas["ProgramRow"];

/** What is to be stored at the room's generator, and what stands there. */
export const usePrograms = (room: string) =>
  useQuery({
    queryKey: ["bench", "programs", room],
    queryFn: () => unwrap<ProgramRow[]>(client.GET("/api/rooms/{room_id}/programs", ofRoom(room))),
  });

export const useTickPrograms = () =>
  useChange(
    ({ room, body }: { room: string; body: Schemas["TickIn"] }) =>
      unwrap<ProgramRow[]>(client.POST("/api/rooms/{room_id}/programs", { ...ofRoom(room), body })),
    ["bench", "room-history"],
  );

export const useNewRoom = () =>
  useChange((body: Schemas["NewRoom"]) => unwrap<Room>(client.POST("/api/rooms", { body })), ROOMS);

export const useChangeRoom = () =>
  useChange(
    (body: Room) => unwrap<Room>(client.PUT("/api/rooms/{room_id}", { ...ofRoom(body.id), body })),
    ROOMS,
  );

export const useFit = (room: string, readings: Readings | null) =>
  useQuery({
    queryKey: ["fit", room, readings],
    queryFn: ({ signal }) =>
      unwrap<Fit>(
        client.POST("/api/rooms/{room_id}/calibration/fit", {
          ...ofRoom(room),
          body: readings as Readings,
          signal,
        }),
      ),
    enabled: readings !== null,
    placeholderData: keepPreviousData,
    gcTime: 30_000,
  });

export const useCalibrate = () =>
  useChange(
    ({ room, body }: { room: string; body: Readings }) =>
      unwrap<Room>(client.POST("/api/rooms/{room_id}/calibration", { ...ofRoom(room), body })),
    ROOMS,
  );

export function useRecord() {
  const queries = useQueryClient();
  return useMutation<Schemas["Recorded"], Refused, { body: ExposureRequest; key: string }>({
    // The same record sent again, as after an answer that was lost, is the same row.
    mutationFn: ({ body, key }) =>
      unwrap<Schemas["Recorded"]>(
        client.POST("/api/exposures", { body, params: { header: { "idempotency-key": key } } }),
      ),
    onSuccess: () => Promise.all(LOG.map((key) => queries.invalidateQueries({ queryKey: [key] }))),
    // The chart that was on screen is no longer the room's: its numbers make way for the new one's.
    onError: (error) =>
      error.problem.status === 409 && queries.invalidateQueries({ queryKey: ["technique"] }),
  });
}

export const useUndo = () =>
  useChange(
    ({ id, why = "" }: { id: number; why?: string }) =>
      unwrap<Exposure>(
        client.POST("/api/exposures/{exposure_id}/undo", {
          params: { path: { exposure_id: id } },
          body: { why },
        }),
      ),
    LOG,
  );

export const useSaveLocal = () =>
  useChange(
    ({
      kind,
      id,
      body,
      revision,
    }: {
      kind: "projection" | "exam";
      id: string;
      body: object;
      revision?: number;
    }) =>
      unwrap<LocalEntry>(
        client.PUT("/api/catalogue/local/{kind}/{entry_id}", {
          params: { path: { kind, entry_id: id } },
          body: { body: body as Record<string, never>, revision: revision ?? null },
        }),
      ),
    CATALOGUE,
  );

export const useSetChecks = () =>
  useChange(
    (checks: string[]) => unwrap<Schemas["Checks"]>(client.PUT("/api/checks", { body: { checks } })),
    ["start"],
  );

export const useRemoveLocal = () =>
  useChange(
    ({ kind, id }: { kind: "projection" | "exam"; id: string }) =>
      unwrap<null>(
        client.DELETE("/api/catalogue/local/{kind}/{entry_id}", { params: { path: { kind, entry_id: id } } }),
      ),
    CATALOGUE,
  );

export const useNewChart = () =>
  useChange((body: Schemas["NewChart"]) => unwrap<Chart>(client.POST("/api/charts", { body })), CHARTS);

export const useDiscard = () =>
  useChange((id: number) => unwrap<null>(client.DELETE("/api/charts/{chart_id}", ofChart(id))), CHARTS);

export const useHeading = () =>
  useChange(
    ({ chart, body }: { chart: number; body: Schemas["Heading"] }) =>
      unwrap<Chart>(client.PUT("/api/charts/{chart_id}", { ...ofChart(chart), body })),
    CHARTS,
  );

export const useAddFromExposure = () =>
  useChange(
    ({ chart, body }: { chart: number; body: Schemas["AcceptedExposureIn"] }) =>
      unwrap<Line>(client.POST("/api/charts/{chart_id}/lines/from-exposure", { ...ofChart(chart), body })),
    CHARTS,
  );
