import { useState } from "react";

import { useReaders, useReview } from "../../api/bench";
import { type Chart, useMay } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Refusal } from "../../ui/Notice";
import { date } from "../../ui/words";

/** An approved version in use: its next review, and who has not yet read what changed with it. */
export function InUse({ chart }: { chart: Chart }) {
  const mayEdit = useMay("keeper", "physicist");
  const mayReview = useMay("physicist");
  const [reviewing, setReviewing] = useState(false);
  const readers = useReaders(chart, mayEdit && chart.version > 1);
  const due = chart.review_by;
  const late = due !== "" && due < new Date().toISOString().slice(0, 10);
  const open = (readers.data ?? []).filter((one) => one.read_at == null);
  return (
    <div className="text-note text-ink-3">
      <p className="flex flex-wrap items-center gap-x-3">
        <span className={late ? "font-semibold text-warn" : ""}>
          {due === ""
            ? "No day set for its next review."
            : late
              ? `Was to be looked at again by ${date(due)}.`
              : `To be looked at again by ${date(due)}.`}
        </span>
        {mayReview && !reviewing && (
          <button type="button" className="min-h-touch text-ink underline" onClick={() => setReviewing(true)}>
            Looked at again…
          </button>
        )}
        {readers.data && readers.data.length > 0 && (
          <span>
            {open.length === 0
              ? "Everybody has read what changed."
              : `Not yet read by ${open.map((one) => one.name).join(", ")}.`}
          </span>
        )}
      </p>
      {reviewing && <Review chart={chart} onDone={() => setReviewing(false)} />}
    </div>
  );
}

/** What somebody found who looked at a version again, and when it is next. */
function Review({ chart, onDone }: { chart: Chart; onDone: () => void }) {
  const review = useReview();
  const [next, setNext] = useState("");
  const [note, setNote] = useState("");
  return (
    <form
      aria-label="Looked at again"
      className="mt-1 flex flex-wrap items-center gap-2 text-body text-ink"
      onSubmit={(event) => {
        event.preventDefault();
        review.mutate({ chart: chart.id, review_by: next || null, note }, { onSuccess: onDone });
      }}
    >
      <input
        aria-label="What was found"
        placeholder="It stands as it is: what was looked at"
        className="min-h-touch min-w-64 flex-1 rounded-sm border border-rule-strong bg-transparent px-2.5"
        maxLength={500}
        value={note}
        onChange={(event) => setNote(event.currentTarget.value)}
      />
      <label className="flex items-center gap-2">
        Next by
        <input
          type="date"
          className="min-h-touch rounded-sm border border-rule-strong bg-transparent px-2.5"
          value={next}
          onChange={(event) => setNext(event.currentTarget.value)}
        />
      </label>
      <Button type="submit" disabled={review.isPending}>
        {next ? "It stands" : "It stands for a year"}
      </Button>
      <Button tone="quiet" onClick={onDone}>
        Cancel
      </Button>
      {review.isError && <Refusal error={review.error} className="w-full" />}
    </form>
  );
}
