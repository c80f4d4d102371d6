import { lazy, Suspense, useEffect } from "react";
import { Link, Navigate, Route, Routes, useLocation } from "react-router";

import { useDepartment, useProjections, useRoom, useRooms } from "../api/queries";
import { DeskPage } from "../desk/DeskPage";
import { Empty, Refusal, Waiting } from "../ui/Notice";
import { useAddress } from "../ui/address";
import { prefer, preferUsually, usePreferences } from "../ui/preferences";
import { Shell } from "./Shell";

const ChartsPage = lazy(() => import("../charts/ChartsPage").then((m) => ({ default: m.ChartsPage })));
const RoomsPage = lazy(() => import("../rooms/RoomsPage").then((m) => ({ default: m.RoomsPage })));
const GuidePage = lazy(() => import("../guide/GuidePage").then((m) => ({ default: m.GuidePage })));
const SignInPage = lazy(() => import("../people/SignInPage").then((m) => ({ default: m.SignInPage })));
const LogPage = lazy(() => import("../log/LogPage").then((m) => ({ default: m.LogPage })));

const DoseLevelsPage = lazy(() => import("../guide/DoseLevels").then((m) => ({ default: m.DoseLevelsPage })));
const BedsidePage = lazy(() => import("../bedside/BedsidePage").then((m) => ({ default: m.BedsidePage })));
const PracticePage = lazy(() =>
  import("../practice/PracticePage").then((m) => ({ default: m.PracticePage })),
);
const SetupPage = lazy(() => import("../setup/SetupPage").then((m) => ({ default: m.SetupPage })));

/** The views that show nothing without a room. */
const OF_A_ROOM = ["/desk", "/charts", "/rooms", "/log"];

function NoRoom() {
  return (
    <div className="p-6">
      <Empty title="No room yet">
        Techniques belong to a room.{" "}
        <Link className="inline-flex min-h-touch items-center font-semibold text-ink underline" to="/setup">
          Set the department up
        </Link>
        . The Guide works without one.
      </Empty>
    </div>
  );
}

export function App() {
  const { pathname } = useLocation();
  // Alone in the window and without the lists that every other view begins with: it has to open where no server answers.
  return pathname === "/bedside" ? (
    <Suspense>
      <BedsidePage />
    </Suspense>
  ) : (
    <Views />
  );
}

function Views() {
  const rooms = useRooms();
  const { pathname } = useLocation();
  const { room: preferred } = usePreferences();
  const { words } = useAddress();
  // An address that names a room is of that room, whichever was looked at last.
  const named = words.get("room") ?? preferred;
  const chosen = rooms.data?.find((one) => one.id === named) ?? rooms.data?.[0];
  const whole = useRoom(chosen?.id);
  const room = whole.data;
  // Asked for beside the rooms, not behind them: every view needs the lists.
  useProjections();
  const { data: department } = useDepartment();
  useEffect(() => preferUsually(department?.length_unit ?? "cm"), [department]);
  useEffect(() => {
    if (chosen && chosen.id !== preferred) prefer({ room: chosen.id });
  }, [chosen, preferred]);
  return (
    <Shell rooms={rooms.data ?? []} room={chosen}>
      {rooms.isError || whole.isError ? (
        <Refusal error={rooms.error ?? whole.error} className="m-6" />
      ) : rooms.isPending || (chosen && !room) ? (
        <div className="p-6">
          <Waiting what="the rooms" />
        </div>
      ) : (
        // A view of its own boundary: while the next one is fetched the last is gone, and nothing in it can be clicked.
        <Suspense
          key={pathname.split("/")[1]}
          fallback={
            <div className="p-6">
              <Waiting what="the view" />
            </div>
          }
        >
          <Routes>
            <Route path="/" element={<Navigate to={room ? "/desk" : "/setup"} replace />} />
            <Route path="/dose-levels" element={<DoseLevelsPage />} />
            <Route path="/setup" element={<SetupPage />} />
            <Route path="/practice" element={<PracticePage />} />
            <Route path="/guide/:id?" element={<GuidePage room={room} />} />
            {room ? (
              <>
                <Route path="/desk" element={<DeskPage key={room.id} room={room} />} />
                <Route path="/charts" element={<ChartsPage key={room.id} room={room} />} />
                <Route path="/rooms" element={<RoomsPage key={room.id} room={room} />} />
                <Route path="/log" element={<LogPage key={room.id} room={room} />} />
              </>
            ) : (
              OF_A_ROOM.map((path) => <Route key={path} path={path} element={<NoRoom />} />)
            )}
            <Route path="/sign-in" element={<SignInPage />} />
            <Route
              path="*"
              element={
                <div className="p-6">
                  <Empty title="There is no such page">
                    Choose Desk, Charts, Rooms, Log, Practice or Guide above.
                  </Empty>
                </div>
              }
            />
          </Routes>
        </Suspense>
      )}
    </Shell>
  );
}
