import { useState } from "react";
import { useNavigate } from "react-router";

import { type Page, useProjections, useSaveLocal } from "../api/queries";
import { Button } from "../ui/Button";
import { LengthField } from "../ui/LengthField";
import { Refusal } from "../ui/Notice";
import { TextField } from "../ui/TextField";

const SIZES = ["small", "average", "large"] as const;
/** What the shipped view says of these is of its own position, and is not taken over. */
const TEXTS = [
  ["position", "How the patient lies or stands"],
  ["central_ray", "Central ray"],
  ["look_for", "A good image shows"],
] as const;
type Texts = Record<(typeof TEXTS)[number][0], string>;

type Sizes = Record<(typeof SIZES)[number], number | null>;
const AS_SHIPPED: Sizes = { small: null, average: null, large: null };

/** "Jaw", "Oblique, 15°" as the id of an entry: jaw-oblique-15. */
const idOf = (...texts: string[]) =>
  texts
    .join(" ")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 60);

/** A view that does not ship, made from the nearest that does: the body of that one, so that the model answers for it. */
export function OwnView({ page }: { page: Page }) {
  const [open, setOpen] = useState(false);
  const [exam, setExam] = useState(page.exam);
  const [name, setName] = useState("");
  const [sizes, setSizes] = useState<Sizes>(AS_SHIPPED);
  const [texts, setTexts] = useState<Texts>({ position: "", central_ray: "", look_for: "" });
  const save = useSaveLocal();
  const projections = useProjections();
  const navigate = useNavigate();
  if (!open)
    return (
      <Button tone="quiet" onClick={() => setOpen(true)}>
        A view of our own, like this one…
      </Button>
    );
  const id = idOf(exam, name);
  const taken = projections.data?.some((one) => one.id === id) ?? true;
  const missing = [exam, name, ...Object.values(texts)].some((text) => text.trim() === "");
  const changed = SIZES.some((size) => sizes[size] !== null);
  const add = () =>
    save.mutate(
      {
        kind: "projection",
        id,
        body: {
          like: page.id,
          exam: exam.trim(),
          name: name.trim(),
          position: texts.position.trim(),
          central_ray: texts.central_ray.trim(),
          look_for: [texts.look_for.trim()],
          faults: [],
          shows: `Our own view, like ${page.exam} ${page.name}.`,
          also: [],
          ...(changed
            ? { thickness_cm: SIZES.map((size) => sizes[size] ?? page.thickness_cm[size] ?? 0) }
            : {}),
        },
      },
      { onSuccess: () => void navigate(`/guide/${id}`) },
    );
  return (
    <section aria-label="A view of our own" className="mt-3 border-t border-rule pt-2">
      <h2 className="text-body">
        A view of our own, like {page.exam} {page.name}
      </h2>
      <p className="text-note text-ink-3">
        It has that view&apos;s body: what is in the beam and how it grows with thickness, so that the model
        answers for it. Take the shipped view whose part is nearest. Distances, angles and limits start as
        that one&apos;s.
      </p>
      <div className="mt-2 grid grid-cols-6 gap-2">
        <span className="col-span-3">
          <TextField id="own-exam" label="Exam" value={exam} live onChange={setExam} />
        </span>
        <span className="col-span-3">
          <TextField id="own-name" label="View" value={name} live onChange={setName} />
        </span>
        {SIZES.map((size) => (
          <span key={size} className="col-span-2">
            <LengthField
              id={`own-${size}`}
              label={size.charAt(0).toUpperCase() + size.slice(1)}
              value={sizes[size] ?? page.thickness_cm[size] ?? null}
              onChange={(value) => setSizes({ ...sizes, [size]: value })}
            />
          </span>
        ))}
        {TEXTS.map(([key, label]) => (
          <label key={key} className="col-span-6 flex flex-col">
            <span className="label">{label}</span>
            <textarea
              rows={2}
              maxLength={300}
              className="rounded-sm border border-rule-strong bg-transparent px-2.5 py-1 outline-none focus:border-ink"
              value={texts[key]}
              onChange={(event) => setTexts({ ...texts, [key]: event.currentTarget.value })}
            />
          </label>
        ))}
      </div>
      <div className="mt-2 flex gap-2">
        <Button tone="main" disabled={missing || taken || save.isPending} onClick={add}>
          Add this view
        </Button>
        <Button tone="quiet" onClick={() => setOpen(false)}>
          Cancel
        </Button>
      </div>
      {taken && name.trim() !== "" && (
        <p className="mt-1 text-warn">There is a view of this name: give this one another.</p>
      )}
      {save.isError && <Refusal error={save.error} className="mt-2" />}
    </section>
  );
}
