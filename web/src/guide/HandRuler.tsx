import { useState } from "react";

import { Button } from "../ui/Button";
import { type Hand, keepHand, useHand } from "../ui/hand";
import { LengthField } from "../ui/LengthField";
import { Said } from "../ui/Said";

/** One's own fingers as a ruler: measure them once, and lengths on the Desk and here come in fingers too. */
export function HandRuler() {
  const hand = useHand();
  const [one, setOne] = useState<number | null>(hand?.[0] ?? null);
  const [four, setFour] = useState<number | null>(hand?.[3] ?? null);
  const ready = one !== null && four !== null && one > 0.8 && one < 3.5 && four > 3 * one && four < 5 * one;
  function keep() {
    if (one === null || four === null) return;
    // Between one finger and four the widths lie on a line; the fifth is the thumb, a little wider.
    const step = (four - one) / 3;
    const widths = [one, one + step, one + 2 * step, four, four + 1.1 * step].map(
      (cm) => Math.round(10 * cm) / 10,
    );
    keepHand(widths as Hand);
  }
  return (
    <section className="no-print mt-3">
      <h2 className="border-b border-rule text-body text-ink-3">My hand as a ruler</h2>
      <p className="pt-1 text-note text-ink-2">
        {hand ? (
          <Said>{`One finger ${hand[0]} cm, two ${hand[1]} cm, three ${hand[2]} cm, four ${hand[3]} cm, with the thumb ${hand[4]} cm. Lengths are shown in fingers too. Kept in this browser only.`}</Said>
        ) : (
          "Measure your index finger and four fingers side by side: lengths are then shown in fingers too."
        )}
      </p>
      <div className="mt-1 grid grid-cols-[1fr_1fr_auto_auto] gap-2">
        <LengthField id="finger-1" label="One finger" value={one} placeholder={1.8} onChange={setOne} />
        <LengthField id="finger-4" label="Four fingers" value={four} placeholder={7.5} onChange={setFour} />
        <Button disabled={!ready} onClick={keep}>
          Keep
        </Button>
        {hand && (
          <Button tone="quiet" onClick={() => keepHand(null)}>
            Forget
          </Button>
        )}
      </div>
    </section>
  );
}
