import { useEffect, useRef } from "react";

import type { Exam, Projection } from "../api/queries";
import { useAddress } from "../ui/address";
import { type DeskState, isView } from "./state";
import { type Act } from "./useDesk";

interface Place {
  exam: string | null;
  /** Of an exam its view's number, from 1; of a view by itself the projection. */
  view: string | null;
}

const same = (a: Place, b: Place) => a.exam === b.exam && a.view === b.view;
const said = (words: URLSearchParams): Place => ({ exam: words.get("exam"), view: words.get("view") });
const NOWHERE: Place = { exam: null, view: null };

/** Where the Desk is: nothing of the patient. */
function placeOf(state: DeskState): Place {
  const number = state.stops.slice(0, state.at + 1).filter(isView).length;
  if (number === 0) return NOWHERE;
  return state.exam === null
    ? { exam: null, view: state.stops[0]?.projection ?? null }
    : { exam: state.exam, view: String(number) };
}

/** What takes the Desk to that place; nothing where there is no such exam or view. */
function follow(to: Place, state: DeskState, exams: Exam[], projections: Projection[], act: Act) {
  if (to.exam === null) {
    if (to.view !== null && projections.some((one) => one.id === to.view))
      act({ do: "view", projection: to.view });
    return;
  }
  const exam = exams.find((one) => one.id === to.exam);
  if (!exam) return;
  const here = to.exam === state.exam;
  const views = (
    here ? state.stops.map(isView) : exam.steps.map((one) => one.projections.length > 0)
  ).flatMap((view, i) => (view ? [i] : []));
  if (!here) act({ do: "exam", exam });
  const at = views[Number(to.view) - 1];
  if (at !== undefined) act({ do: "go", to: at });
}

/**
 * Exam and view stand in the address: an address opens them, going back goes to the view before. From nobody to an exam the
 * address is replaced, so that going back never puts a patient away without a word.
 */
export function useDeskAddress(state: DeskState, exams: Exam[], projections: Projection[], act: Act) {
  const { words, put } = useAddress();
  const mine = placeOf(state);
  // The last place that was written or gone to; null before the address that the Desk was opened by was looked at.
  const written = useRef<Place>(null);

  function goTo(said: Place) {
    written.current = said;
    if (!same(said, mine) && !same(said, NOWHERE)) follow(said, state, exams, projections, act);
  }
  const latest = useRef(goTo);

  useEffect(() => {
    latest.current = goTo;
    if (written.current === null) return goTo(said(words));
    if (same(mine, written.current)) return;
    const replace = same(mine, NOWHERE) || same(written.current, NOWHERE);
    written.current = mine;
    put({ ...mine }, { replace });
  });

  useEffect(() => {
    // Going back or on is heard from the window: what is written here shows in the router's address only after a while.
    const { pathname } = window.location;
    function gone() {
      if (window.location.pathname === pathname)
        latest.current(said(new URLSearchParams(window.location.search)));
    }
    window.addEventListener("popstate", gone);
    return () => window.removeEventListener("popstate", gone);
  }, []);
}
