import { lineIn } from "../api/bench";
import {
  type Line,
  type Room,
  type Version,
  useChart,
  useMay,
  useNewChart,
  useProjections,
  useVersions,
} from "../api/queries";
import { NotYours } from "../people/NotYours";
import { useAddress, useAddressWord, useTitle } from "../ui/address";
import { Button } from "../ui/Button";
import { forgetDrafts } from "../ui/drafts";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { ChartVersion } from "./editor/ChartVersion";
import { Adapt } from "./making/Adapt";
import { AddLine } from "./making/AddLine";
import { Build } from "./making/Build";
import { ImportChart } from "./making/import/ImportChart";
import { PrintChart } from "./versions/PrintChart";
import { Versions } from "./versions/Versions";

const DOING = ["look", "print", "new-line", "import", "build", "adapt"] as const;

/** Charts: the versions of a room's chart, their lines, and how to make, check, agree on and adapt them. */
export function ChartsPage({ room }: { room: Room }) {
  const listed = useVersions(room.id);
  const projections = useProjections();
  const { words, put } = useAddress();
  const chosen = Number(words.get("chart"));
  const line = Number(words.get("line"));
  const [wanted, setDoing] = useAddressWord("do", DOING);
  const newChart = useNewChart();
  const mayEdit = useMay("keeper", "physicist");
  const doing = mayEdit || wanted === "print" ? wanted : "look";
  useTitle(`${room.name}, Charts`);

  const versions = listed.data ?? [];
  const draft = versions.find((one) => one.status === "draft" || one.status === "proposed");
  // The one that the address names, on whichever page of the list it stands; else the one that is worked on.
  const named = chosen > 0 && (listed.hasNextPage || versions.some((one) => one.id === chosen));
  const usual = draft ?? versions.find((one) => one.status === "approved") ?? versions[0];
  const asked = useChart(named ? chosen : undefined);
  const ours = asked.data ? asked.data.room === room.id : !asked.isError;
  const current = named && ours ? chosen : usual?.id;
  const whole = useChart(current);
  const chart = whole.data;

  const error = listed.error ?? whole.error ?? projections.error;
  if (error) return <Refusal error={error} className="m-6" />;
  if (!listed.data || !projections.data || (current && !whole.data))
    return (
      <div className="p-6">
        <Waiting what="the charts" />
      </div>
    );
  const nextVersion = (versions[0]?.version ?? 0) + 1;
  const goesTo = draft ? `version ${draft.version}` : `a new version ${nextVersion}`;

  async function openDraft(): Promise<Version> {
    if (draft) return draft;
    const made = await newChart.mutateAsync({
      room: room.id,
      name: chart?.name ?? `${room.name} chart`,
      note: "",
      ...(chart ? { from_chart: chart.id } : {}),
    });
    return { ...made, line_count: made.lines.length };
  }
  function show(id: number | null, line: number | null = null) {
    put({ chart: id, line, do: null, projection: null, tab: null, only: null });
  }
  function makeDraft(name: string, lines: Line[], note: string) {
    newChart.mutate(
      { room: room.id, name, note, lines: lines.map(lineIn) },
      {
        onSuccess: (made) => {
          leaveTyped();
          show(made.id);
        },
      },
    );
  }
  /** What was typed to make a chart or a line is made, or is no longer wanted. */
  const leaveTyped = () => {
    for (const making of ["build", "import", "new-line"]) forgetDrafts(`${making} ${room.id}`);
  };
  const making = {
    room,
    projections: projections.data,
    open: draft,
    nextVersion,
    making: newChart.isPending,
    error: newChart.error,
    onMake: makeDraft,
    onTaken: () => {
      leaveTyped();
      show(draft?.id ?? null);
    },
    onCancel: () => {
      newChart.reset();
      leaveTyped();
      setDoing("look");
    },
  };

  return (
    <div className="flex min-h-0 flex-1">
      <h1 className="sr-only">Charts</h1>
      <Versions
        room={room}
        versions={versions}
        more={listed.hasNextPage ? () => void listed.fetchNextPage() : undefined}
        current={chart?.id}
        onChoose={(id) => show(id)}
        actions={
          !mayEdit ? (
            <NotYours
              whoDoes="A chart keeper or physicist makes and changes charts."
              toDo="to make or change a chart"
            />
          ) : (
            <>
              {!draft && (
                <Button
                  disabled={newChart.isPending}
                  onClick={() =>
                    void openDraft().then(
                      // A tab or a way to make lines that was opened while the draft was made stays open.
                      (made) => put({ chart: made.id, line: null }),
                      () => undefined,
                    )
                  }
                >
                  Start version {nextVersion}
                </Button>
              )}
              <Button onClick={() => setDoing("build")}>Build a chart</Button>
              <Button className="py-1 leading-tight whitespace-normal!" onClick={() => setDoing("adapt")}>
                Adapt from another room
              </Button>
              <Button onClick={() => setDoing("import")}>Import</Button>
              {newChart.isError && doing === "look" && <Refusal error={newChart.error} />}
            </>
          )
        }
      />
      <div className="min-w-0 flex-1">
        {doing === "print" && chart ? (
          <PrintChart chart={chart} onDone={() => setDoing("look")} />
        ) : doing === "import" ? (
          <ImportChart {...making} />
        ) : doing === "build" ? (
          <Build {...making} lines={chart?.lines ?? []} />
        ) : doing === "adapt" ? (
          <Adapt {...making} />
        ) : doing === "new-line" ? (
          <AddLine
            room={room}
            projections={projections.data}
            chart={chart}
            projection={words.get("projection")}
            goesTo={goesTo}
            openDraft={openDraft}
            onDone={(made, line) => {
              leaveTyped();
              show(made, line);
            }}
            onCancel={() => {
              leaveTyped();
              put({ do: null, projection: null });
            }}
          />
        ) : !chart ? (
          <div className="p-6">
            <Empty title={`${room.name} has no chart yet`}>
              <p>
                Build a whole chart from a few test exposures, make a first line from an accepted one, import
                a chart, or adapt one from another room.
              </p>
              <div className="mt-3 flex gap-2">
                {mayEdit && (
                  <>
                    <Button tone="main" onClick={() => setDoing("build")}>
                      Build a chart
                    </Button>
                    <Button onClick={() => setDoing("new-line")}>New line</Button>
                  </>
                )}
              </div>
            </Empty>
          </div>
        ) : (
          <ChartVersion
            key={`${chart.id} ${line}`}
            first={line || null}
            chart={chart}
            room={room}
            projections={projections.data}
            mayEdit={mayEdit}
            onNewLine={() => setDoing("new-line")}
            // What was begun meanwhile, as an import, stays in hand.
            onDrafted={(made) => put({ chart: made.id, line: null, tab: "compare" })}
            onGone={() => put({ chart: null, line: null, tab: null, only: null })}
          />
        )}
      </div>
    </div>
  );
}
