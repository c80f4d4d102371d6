/** A term of the field in a text: explained while it is pointed at or has the focus (app/Explainer). */
export function Term({ of, children }: { of?: string; children: string }) {
  return (
    <span
      tabIndex={0}
      data-term={of ?? children}
      className="cursor-help underline decoration-rule-strong decoration-dotted underline-offset-2"
    >
      {children}
    </span>
  );
}
