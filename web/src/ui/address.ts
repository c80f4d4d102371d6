import { useCallback, useEffect } from "react";
import { useLocation, useNavigate, useSearchParams } from "react-router";

import { prefer, usePreferences } from "./preferences";

/**
 * The words of the one address that the window has. A change that was begun earlier, as one that waited for an answer, starts
 * from them as they are by then, whoever changed them meanwhile.
 */
let latest = new URLSearchParams();

/**
 * What the address says of the view that is open: it can be kept, sent, and gone back to. Null takes a word out; the room is
 * always said with the rest, so that an address means the same to the next person.
 */
export function useAddress() {
  const [words, setWords] = useSearchParams();
  const { room } = usePreferences();
  useEffect(() => {
    latest = words;
  }, [words]);
  const put = useCallback(
    (change: Record<string, string | number | null>, { replace = false } = {}) => {
      const next = new URLSearchParams(latest);
      if (room) next.set("room", room);
      for (const [key, value] of Object.entries(change))
        if (value === null || value === "") next.delete(key);
        else next.set(key, String(value));
      latest = next;
      setWords(next, { replace });
    },
    [setWords, room],
  );
  return { words, put };
}

/** Takes the view that is open to another room; of what was open in the last one nothing is carried there. */
export function useChooseRoom() {
  const navigate = useNavigate();
  const { pathname } = useLocation();
  return (id: string) => {
    prefer({ room: id });
    void navigate({ pathname, search: new URLSearchParams({ room: id }).toString() });
  };
}

/** One of a few words of the address, as a tab is; the first is what stands there while the address says nothing. */
export function useAddressWord<W extends string>(key: string, choices: readonly [W, ...W[]]) {
  const { words, put } = useAddress();
  const said = words.get(key);
  const word = choices.find((one) => one === said) ?? choices[0];
  return [word, (next: W) => put({ [key]: next === choices[0] ? null : next })] as const;
}

/** The title of the window while a view is open: where one is. */
export function useTitle(where: string) {
  useEffect(() => {
    document.title = `${where} · Oakbeam`;
  }, [where]);
}
