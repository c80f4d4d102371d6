import {
  keepPreviousData,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";

import client, { carry, type Refused, type Schemas, unwrap } from "./client";
import {
  type Chart,
  CHARTS,
  type Line,
  type LineTable,
  ofChart,
  ofRoom,
  type Person,
  type Session,
  useChange,
} from "./queries";

export type Strip = Schemas["StripOut"];
export type Finding = Schemas["FindingOut"];
export type Proposal = Schemas["Proposal"];
export type Compared = Schemas["ComparedOut"];
export type Change = Schemas["ChangeIn"];
export type Changed = Schemas["ChangedOut"];
export type LineIn = Schemas["LineIn"];
export type Adjustment = Schemas["Adjustment"];
export type SystemView = Schemas["SystemView"];
export type Built = Schemas["BuiltOut"];
export type Carried = Schemas["AdaptedOut"];
export type Preview = Schemas["PreviewOut"];
export type Comment = Schemas["Comment"];

/** A line as it is sent back: without what only the database knows. */
export function lineIn(line: Line): LineIn {
  const kept = Object.entries(line).filter(([name]) => name !== "id" && name !== "revision");
  return Object.fromEntries(kept) as unknown as LineIn;
}

export const useLevel = (chart: Chart) =>
  useQuery({
    queryKey: ["bench", "level", chart.id],
    queryFn: () => unwrap<Strip[]>(client.GET("/api/charts/{chart_id}/level", ofChart(chart.id))),
    staleTime: Infinity,
  });

export type LineTrust = Schemas["LineTrust"];

/** How far each line can be trusted, by the images logged so far. */
export const useTrust = (chart: Chart) =>
  useQuery({
    queryKey: ["bench", "trust", chart.id, chart.revision],
    queryFn: () => unwrap<LineTrust[]>(client.GET("/api/charts/{chart_id}/trust", ofChart(chart.id))),
  });

/** Which version of a chart. */
export type Edition = Pick<Chart, "id" | "version">;

export const useChartCheck = (chart: Edition) =>
  useQuery({
    queryKey: ["bench", "lint", chart.id],
    queryFn: () => unwrap<Finding[]>(client.GET("/api/charts/{chart_id}/lint", ofChart(chart.id))),
    staleTime: Infinity,
  });

export type OffLine = Schemas["OffLine"];

/** The lines that a calibration moved and nobody corrected since, the furthest first. */
export const useOffLines = (chart: Chart | undefined) =>
  useQuery({
    queryKey: ["bench", "off", chart?.id, chart?.revision],
    queryFn: () =>
      unwrap<OffLine[]>(client.GET("/api/charts/{chart_id}/since-calibration", ofChart(chart?.id ?? 0))),
    enabled: chart !== undefined,
  });

export const useCorrectedDraft = () =>
  useChange(
    (room: string) => unwrap<Chart>(client.POST("/api/rooms/{room_id}/corrected-draft", ofRoom(room))),
    CHARTS,
  );

export type PrintPreview = Schemas["PrintPreview"];

/** A print as pictures; asked: as the address of the PDF asks for it. */
export const usePrintPreview = (chart: Chart, asked: Printing) =>
  useQuery({
    queryKey: ["bench", "print", chart.id, chart.revision, asked],
    queryFn: () =>
      unwrap<PrintPreview>(
        client.GET("/api/charts/{chart_id}/print-preview", {
          params: { path: { chart_id: chart.id }, query: asked },
        }),
      ),
    placeholderData: keepPreviousData,
  });

export interface Printing {
  kind: "wall" | "booklet" | "card";
  paper: "a3" | "a4";
  across: boolean;
  rows: "sizes" | "steps";
  pages: "few" | "region";
  only: "all" | "used";
  unit: "cm" | "in";
}

export type TargetChoices = Schemas["TargetChoices"];

/** Which target index the room's accepted images speak for, by view and receptor. */
export const useTargetChoices = (chart: Chart) =>
  useQuery({
    queryKey: ["bench", "targets", chart.id, chart.revision],
    queryFn: () =>
      unwrap<TargetChoices[]>(client.GET("/api/charts/{chart_id}/target-choices", ofChart(chart.id))),
  });

export const useRetarget = () =>
  useChange(
    ({ chart, body }: { chart: number; body: Schemas["TargetIn"] }) =>
      unwrap<Changed>(client.POST("/api/charts/{chart_id}/target", { ...ofChart(chart), body })),
    CHARTS,
  );

export type News = Schemas["News"];

/** What changed with the version in use since the one that whoever is signed in last read. */
export const useNews = (room: string) =>
  useQuery({
    queryKey: ["bench", "news", room],
    queryFn: () => unwrap<News>(client.GET("/api/rooms/{room_id}/chart-news", ofRoom(room))),
    // A room without an approved chart has no news.
    retry: false,
  });

export const useRead = () =>
  useChange(
    (chart: number) => unwrap<null>(client.POST("/api/charts/{chart_id}/read", ofChart(chart))),
    ["bench"],
  );

export const useReaders = (chart: Chart, wanted: boolean) =>
  useQuery({
    queryKey: ["bench", "readers", chart.id],
    queryFn: () =>
      unwrap<Schemas["Reader"][]>(client.GET("/api/charts/{chart_id}/readers", ofChart(chart.id))),
    enabled: wanted,
  });

export const useReview = () =>
  useChange(
    ({ chart, ...body }: { chart: number; review_by: string | null; note: string }) =>
      unwrap<Chart>(client.POST("/api/charts/{chart_id}/reviews", { ...ofChart(chart), body })),
    CHARTS,
  );

export const useSystems = (chart: Chart, line: number) =>
  useQuery({
    queryKey: ["bench", "schools", chart.id, chart.revision, line],
    queryFn: () =>
      unwrap<SystemView[]>(
        client.GET("/api/charts/{chart_id}/lines/{line_id}/systems", {
          params: { path: { chart_id: chart.id, line_id: line } },
        }),
      ),
    staleTime: Infinity,
  });

export const useCompare = (chart: number, other: number | null) =>
  useQuery({
    queryKey: ["bench", "compare", chart, other],
    queryFn: () =>
      unwrap<Compared[]>(
        client.GET("/api/charts/{chart_id}/compare/{other_id}", {
          params: { path: { chart_id: other ?? 0, other_id: chart } },
        }),
      ),
    enabled: other !== null,
  });

export const useHistory = (chart: number) =>
  useQuery({
    queryKey: ["bench", "history", chart],
    queryFn: () => unwrap<Schemas["Change"][]>(client.GET("/api/charts/{chart_id}/history", ofChart(chart))),
  });

export const useComments = (chart: number) =>
  useQuery({
    queryKey: ["bench", "comments", chart],
    queryFn: () => unwrap<Comment[]>(client.GET("/api/charts/{chart_id}/comments", ofChart(chart))),
  });

/** The link that makes a line follow another and leaves its numbers as they are. */
export const linkTo = (chart: number, line: number, to: number) =>
  unwrap<Schemas["Link"]>(
    client.GET("/api/charts/{chart_id}/lines/{line_id}/link", {
      params: { path: { chart_id: chart, line_id: line }, query: { to } },
    }),
  );

/** Changes of a draft. The answer is the chart as it is then; it is put in place and not asked for again. */
export const useChanges = () => {
  const queries = useQueryClient();
  return useMutation<Changed, Refused, { chart: number; changes: Change[]; why: string }>({
    mutationFn: ({ chart, changes, why }) =>
      unwrap<Changed>(
        client.POST("/api/charts/{chart_id}/changes", { ...ofChart(chart), body: { changes, why } }),
      ),
    onSuccess: ({ chart }) => {
      queries.setQueryData(["chart", chart.id], chart);
      // Not waited for: the change is made, and can be undone, before the strips are drawn anew.
      void queries.invalidateQueries({ queryKey: ["charts"] });
      for (const key of ["level", "lint", "history", "compare"])
        void queries.invalidateQueries({ queryKey: ["bench", key] });
    },
    // Somebody else was quicker: what they made of the chart is wanted at once.
    onError: (error) => {
      if (!error.problem.conflicts) return;
      void queries.invalidateQueries({ queryKey: ["bench", "history"] });
    },
  });
};

/** One line on the room's generator settings. */
export const useLineTable = (chart: Chart, line: Line | undefined) =>
  useQuery({
    queryKey: ["bench", "table", chart.id, line?.id, line?.revision, chart.revision],
    queryFn: () =>
      unwrap<LineTable>(
        client.GET("/api/charts/{chart_id}/lines/{line_id}/table", {
          params: { path: { chart_id: chart.id, line_id: line?.id ?? 0 } },
        }),
      ),
    enabled: line?.id != null,
    placeholderData: (last, query) => (query?.queryKey[3] === line?.id ? last : undefined),
    staleTime: Infinity,
  });

export const useLevelIt = () =>
  useChange(
    ({ chart, lines }: { chart: number; lines: number[] | null }) =>
      unwrap<Proposal[]>(client.POST("/api/charts/{chart_id}/level", { ...ofChart(chart), body: { lines } })),
    [],
  );

/** What typed or pasted cells make of their lines, all cells of a line composed; nothing is kept. */
export const useCells = () =>
  useChange(
    ({ chart, body }: { chart: number; body: Schemas["CellsIn"] }) =>
      unwrap<Proposal[]>(client.POST("/api/charts/{chart_id}/cells", { ...ofChart(chart), body })),
    [],
  );

export const useAdjust = () =>
  useChange(
    ({ chart, body }: { chart: number; body: Adjustment }) =>
      unwrap<Proposal[]>(client.POST("/api/charts/{chart_id}/adjust", { ...ofChart(chart), body })),
    [],
  );

export const useBuild = () =>
  useChange(
    ({ room, body }: { room: string; body: Schemas["BuildIn"] }) =>
      unwrap<Built>(client.POST("/api/rooms/{room_id}/build", { ...ofRoom(room), body })),
    [],
  );

export const useAdapt = () =>
  useChange(
    ({ room, chart }: { room: string; chart: number }) =>
      unwrap<Carried[]>(client.POST("/api/rooms/{room_id}/adapt", { ...ofRoom(room), body: { chart } })),
    [],
  );

export const useImportPreview = () =>
  useChange(
    (body: Schemas["ImportFile"]) => unwrap<Preview>(client.POST("/api/charts/import/preview", { body })),
    [],
  );

export const useDifference = () =>
  useChange(
    ({ chart, lines }: { chart: number; lines: LineIn[] }) =>
      unwrap<Compared[]>(
        client.POST("/api/charts/{chart_id}/difference", { ...ofChart(chart), body: { lines } }),
      ),
    [],
  );

/** Answers about the department's own words are kept for the next file; the server leaves out what is about one file. */
const ANSWERS = "import answers";

/** What the department answered of its own words in earlier files, by the question. */
export const useImportAnswers = () =>
  useQuery({
    queryKey: [ANSWERS],
    queryFn: () => unwrap<Record<string, string>>(client.GET("/api/charts/import/answers")),
  });

export const useRememberAnswers = () =>
  useChange(
    (body: Record<string, string>) => unwrap(client.POST("/api/charts/import/answers", { body })),
    [ANSWERS],
  );

/** The answers that stay: the others are asked again. */
export const useForgetAnswers = () =>
  useChange(
    (stay: Record<string, string>) => unwrap(client.PUT("/api/charts/import/answers", { body: stay })),
    [ANSWERS],
  );

/** reasons: why what the chart check calls unusable stands, by check. */
export const usePropose = () =>
  useChange(
    ({ chart, reasons }: { chart: number; reasons: Record<string, string> }) =>
      unwrap<Chart>(client.POST("/api/charts/{chart_id}/propose", { ...ofChart(chart), body: { reasons } })),
    CHARTS,
  );

export const useApprove = () =>
  useChange(
    (chart: number) => unwrap<Chart>(client.POST("/api/charts/{chart_id}/approve", ofChart(chart))),
    CHARTS,
  );

export const useGiveBack = () =>
  useChange(
    ({ chart, why }: { chart: number; why: string }) =>
      unwrap<Chart>(client.POST("/api/charts/{chart_id}/return", { ...ofChart(chart), body: { why } })),
    CHARTS,
  );

export const useSay = () =>
  useChange(
    ({ chart, text, line_key }: { chart: number; text: string; line_key: number | null }) =>
      unwrap<Comment>(
        client.POST("/api/charts/{chart_id}/comments", { ...ofChart(chart), body: { text, line_key } }),
      ),
    ["bench"],
  );

export const useResolve = () =>
  useChange(
    (id: number) =>
      unwrap<Comment>(
        client.POST("/api/comments/{comment_id}/resolve", { params: { path: { comment_id: id } } }),
      ),
    ["bench"],
  );

/** Sign in or out: what every view knows of who is here follows at once. */
export function useSessionChange<In = void>(change: (given: In) => Promise<Session>, touches: string[] = []) {
  const queries = useQueryClient();
  return useChange(async (given: In) => {
    const session = await change(given);
    await queries.cancelQueries({ queryKey: ["start"] });
    carry(session.token ?? null);
    queries.setQueryData(["start"], (start: Schemas["Start"] | undefined) => start && { ...start, session });
    return session;
  }, touches);
}

/** As whom the proxy in front says is there; no password. */
export const useSignInByProxy = () =>
  useSessionChange(() => unwrap<Session>(client.POST("/api/session/by-proxy")));

export const useSignIn = () =>
  useSessionChange((body: Schemas["SignIn"]) => unwrap<Session>(client.POST("/api/session", { body })));

export const useSignOut = () => useSessionChange(() => unwrap<Session>(client.DELETE("/api/session")));

/** Change one's own password; every session of one's own ends with it, this one too. */
export const useOwnPassword = () =>
  useSessionChange(async (body: Schemas["NewPassword"]) => {
    await unwrap(client.PUT("/api/session/password", { body }));
    return unwrap<Session>(client.GET("/api/session"));
  });

/** One's own sessions: this one, and those at other consoles. */
export const useMySessions = () =>
  useQuery({
    queryKey: ["sessions"],
    queryFn: () => unwrap<Schemas["OpenSession"][]>(client.GET("/api/session/all")),
  });

export const useEndOtherSessions = () =>
  useChange(() => unwrap(client.DELETE("/api/session/others")), ["sessions"]);

export const usePeople = (wanted: boolean) =>
  useQuery({
    queryKey: ["people"],
    queryFn: () => unwrap<Person[]>(client.GET("/api/people")),
    enabled: wanted,
  });

export const useAddPerson = () =>
  useChange(
    (body: Schemas["NewPerson"]) => unwrap<Person>(client.POST("/api/people", { body })),
    ["people", "setup"],
  );

export const useChangePerson = () =>
  useChange(
    ({ id, body }: { id: string; body: Schemas["PersonIn"] }) =>
      unwrap<Person>(client.PUT("/api/people/{person_id}", { params: { path: { person_id: id } }, body })),
    ["people", "setup"],
  );

export const useAgreement = () =>
  useQuery({
    queryKey: ["agreement"],
    queryFn: () => unwrap<Schemas["Agreement"]>(client.GET("/api/agreement")),
  });

export const useAgree = () =>
  useChange(
    (body: Schemas["Agreement"]) => unwrap<Schemas["Agreement"]>(client.PUT("/api/agreement", { body })),
    ["agreement", "setup"],
  );

const AUDIT_PAGE = 100;

/** What was done, newest first, a page at a time. */
export const useAudit = () =>
  useInfiniteQuery({
    queryKey: ["audit"],
    queryFn: ({ pageParam }) =>
      unwrap<Schemas["Change"][]>(
        client.GET("/api/audit", { params: { query: { before: pageParam, limit: AUDIT_PAGE } } }),
      ),
    initialPageParam: null as number | null,
    getNextPageParam: (last) => (last.length < AUDIT_PAGE ? undefined : (last.at(-1)?.id ?? undefined)),
  });

/** Whether the audit is as it was written. */
export const useChain = () =>
  useQuery({
    queryKey: ["audit", "chain"],
    queryFn: () => unwrap<Schemas["Chain"]>(client.GET("/api/audit/chain")),
  });

/** Whether changes can be kept, and when the last backup was made and copied. */
export const useReadiness = () =>
  useQuery({
    queryKey: ["ready"],
    queryFn: () => unwrap<Schemas["Ready"]>(client.GET("/api/ready")),
  });

export const useSignIns = () =>
  useQuery({
    queryKey: ["sign-ins"],
    queryFn: () => unwrap<Schemas["Attempt"][]>(client.GET("/api/sign-ins")),
  });
