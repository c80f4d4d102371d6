import { type ReactNode, useCallback, useState } from "react";
import { Link, NavLink, useLocation, useNavigate } from "react-router";

import { type RoomSummary, useDemo, useIdleEnd, useSession } from "../api/queries";
import { useChooseRoom } from "../ui/address";
import { Key } from "../ui/Button";
import { prefer, usePreferences } from "../ui/preferences";
import { Select } from "../ui/Select";
import { useKeys } from "../ui/useKeys";
import { Explainer } from "./Explainer";
import { Help, type HelpPage } from "./Help";
import { Reach } from "./Reach";

const VIEWS = [
  { to: "/desk", name: "Desk", key: "D" },
  { to: "/charts", name: "Charts", key: "C" },
  { to: "/rooms", name: "Rooms", key: "R" },
  { to: "/log", name: "Log", key: "L" },
  { to: "/practice", name: "Practice", key: "T" },
  { to: "/guide", name: "Guide", key: "G" },
];

/** The frame of every view: where you are, which room, units, theme, help. */
export function Shell({
  rooms,
  room,
  children,
}: {
  rooms: RoomSummary[];
  room: RoomSummary | undefined;
  children: ReactNode;
}) {
  const { theme, unit } = usePreferences();
  const { data: demo } = useDemo();
  const [help, setHelp] = useState<HelpPage | null>(null);
  const allWords = useCallback(() => setHelp("words"), []);
  const navigate = useNavigate();
  const { pathname, search } = useLocation();
  const chooseRoom = useChooseRoom();
  const otherTheme = theme === "night" ? "day" : "night";
  const otherUnit = unit === "cm" ? "in" : "cm";

  useKeys([
    ...VIEWS.map((view) => ({
      keys: [view.key],
      shown: `Shift ${view.key}`,
      does: view.name,
      always: true,
      run: () => void navigate(view.to),
    })),
    { keys: ["?"], shown: "?", does: "Help", always: true, run: () => setHelp("keys") },
    {
      keys: ["P"],
      shown: "Shift P",
      does: "Sign in or hand over",
      always: true,
      run: () => void navigate(`/sign-in?back=${encodeURIComponent(pathname + search)}`),
    },
    { keys: ["c"], shown: "c", does: "cm or inch", run: () => prefer({ unit: otherUnit }) },
  ]);

  return (
    <div className="flex min-h-screen flex-col xl:has-[[data-part=kvp]]:h-screen">
      <a
        href="#main"
        className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-raised focus:p-3"
      >
        Skip to the view
      </a>
      <header className="no-print flex shrink-0 flex-wrap items-stretch gap-x-4 border-b border-rule px-4 pt-1 lg:h-[3.25rem] lg:flex-nowrap lg:pt-0 xl:gap-6 xl:px-5">
        <div className="flex items-center gap-2 font-semibold tracking-wide">
          <svg aria-hidden width="20" height="20" viewBox="0 0 20 20">
            <path d="M10 1 L2 19 H18 Z" fill="none" stroke="var(--beam)" strokeWidth="1.6" />
            <path d="M4.5 13.5 H15.5 M6.7 8.7 H13.3" stroke="currentColor" strokeWidth="1.6" />
          </svg>
          <span className="hidden sm:inline">Oakbeam</span>
          {demo && (
            <span
              className="rounded-xs border border-warn px-1.5 text-note font-normal text-warn"
              title="An invented clinic: no number here is of a real room or patient"
            >
              Demo
            </span>
          )}
        </div>
        <nav
          aria-label="Views"
          className="order-last flex min-h-11 w-full overflow-x-auto lg:order-none lg:w-auto"
        >
          {VIEWS.map((view) => (
            <NavLink
              key={view.to}
              to={view.to}
              className={({ isActive }) =>
                `flex min-w-16 items-center justify-center border-b-2 px-3 ${isActive ? "border-ink font-semibold text-ink" : "border-transparent text-ink-2 hover:text-ink"}`
              }
            >
              {view.name}
            </NavLink>
          ))}
        </nav>
        <div className="ml-auto flex min-w-0 flex-1 items-center justify-end gap-0.5 sm:gap-1 lg:gap-2">
          {rooms.length > 0 && room && (
            <Select
              label="Room"
              value={room.id}
              options={rooms.map((one) => ({ value: one.id, label: one.name }))}
              onChange={chooseRoom}
              className="w-28 lg:w-36"
            />
          )}
          <HeaderButton
            label={`Lengths in ${unit}; switch to ${otherUnit}`}
            onClick={() => prefer({ unit: otherUnit })}
          >
            <b className={unit === "cm" ? "text-ink underline" : "font-normal"}>cm</b>
            <span className="px-1">/</span>
            <b className={unit === "in" ? "text-ink underline" : "font-normal"}>in</b>
          </HeaderButton>
          <HeaderButton
            // On a phone it stands in Help.
            className="hidden sm:flex"
            label={`Switch to the ${otherTheme} theme`}
            onClick={() => prefer({ theme: otherTheme })}
          >
            {theme === "night" ? "Day" : "Night"}
          </HeaderButton>
          <WhoIsHere />
          <HeaderButton label="Keys, cautions and help" onClick={() => setHelp("keys")}>
            <span className="hidden sm:inline">Help</span> <Key>?</Key>
          </HeaderButton>
        </div>
      </header>
      <Reach />
      <main id="main" className="flex min-h-0 flex-1 flex-col">
        {children}
      </main>
      <Help page={help} onPage={setHelp} />
      <Explainer onAllWords={allWords} />
    </div>
  );
}

/** Who is signed in; a press hands the console over. */
function WhoIsHere() {
  const { data: session } = useSession();
  const { pathname, search } = useLocation();
  const name = session?.person?.name;
  useIdleEnd();
  return (
    <Link
      to={`/sign-in?back=${encodeURIComponent(pathname + search)}`}
      aria-label={name ? `${name} is signed in; hand over or sign out` : "Sign in"}
      className="flex min-h-touch max-w-24 items-center rounded-sm sm:max-w-36 px-2 text-ink-2 hover:bg-raised hover:text-ink"
    >
      <span className="truncate">{name ?? "Sign in"}</span>
    </Link>
  );
}

function HeaderButton({
  label,
  onClick,
  className = "flex",
  children,
}: {
  label: string;
  onClick: () => void;
  className?: string;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      onClick={onClick}
      className={`${className} min-h-touch items-center gap-1 rounded-sm px-2 text-ink-2 hover:bg-raised hover:text-ink`}
    >
      {children}
    </button>
  );
}
