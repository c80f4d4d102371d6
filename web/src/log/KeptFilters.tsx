import { useState } from "react";

import { useDropFilter, useKeepFilter, useKeptFilters } from "../api/log";
import { useSession } from "../api/queries";
import { useAddress } from "../ui/address";
import { Button } from "../ui/Button";
import { Refusal } from "../ui/Notice";
import { Select } from "../ui/Select";
import { TextField } from "../ui/TextField";

/** The filters that a person keeps under a name: chosen, kept and taken away. Nobody else sees them. */
export function KeptFilters({ words, narrowed }: { words: readonly string[]; narrowed: boolean }) {
  const signedIn = Boolean(useSession().data?.person);
  const { words: said, put } = useAddress();
  const kept = useKeptFilters(signedIn).data ?? [];
  const keep = useKeepFilter();
  const drop = useDropFilter();
  const [naming, setNaming] = useState<string | null>(null);
  if (!signedIn) return null;
  const here = new URLSearchParams(
    words.flatMap((word) => (said.get(word) ? [[word, said.get(word) ?? ""]] : [])),
  ).toString();
  const chosen = kept.find((one) => one.address === here);
  return (
    <>
      {kept.length > 0 && (
        <Select
          label="Kept filters"
          labelled
          className="w-44"
          value={chosen?.name ?? ""}
          options={kept.map((one) => ({ value: one.name, label: one.name }))}
          onChange={(name) => {
            const next = new URLSearchParams(kept.find((one) => one.name === name)?.address);
            put(Object.fromEntries(words.map((word) => [word, next.get(word)])));
          }}
        />
      )}
      {chosen ? (
        <Button tone="quiet" disabled={drop.isPending} onClick={() => drop.mutate(chosen.name)}>
          Keep it no longer
        </Button>
      ) : naming === null ? (
        narrowed && (
          <Button tone="quiet" onClick={() => setNaming("")}>
            Keep this filter…
          </Button>
        )
      ) : (
        <form
          className="flex items-end gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            keep.mutate({ name: naming.trim(), address: here }, { onSuccess: () => setNaming(null) });
          }}
        >
          <TextField live id="filter-name" label="Its name" value={naming} onChange={setNaming} />
          <Button type="submit" disabled={!naming.trim() || keep.isPending}>
            Keep
          </Button>
          <Button tone="quiet" onClick={() => setNaming(null)}>
            Leave it
          </Button>
        </form>
      )}
      {(keep.isError || drop.isError) && <Refusal error={keep.error ?? drop.error} />}
    </>
  );
}
