import type { ButtonHTMLAttributes } from "react";

type Tone = "main" | "plain" | "quiet" | "danger";

const TONES: Record<Tone, string> = {
  main: "bg-ink text-ground font-semibold border-ink enabled:hover:opacity-90",
  plain: "border-rule-strong text-ink enabled:hover:border-ink-2 enabled:hover:bg-raised",
  quiet: "border-transparent text-ink-2 enabled:hover:text-ink enabled:hover:bg-raised",
  danger: "border-bad text-bad enabled:hover:bg-raised",
};

export function buttonClass(tone: Tone = "plain"): string {
  return `inline-flex min-h-touch items-center justify-center gap-2 whitespace-nowrap rounded-sm border px-3 text-body disabled:opacity-45 ${TONES[tone]}`;
}

interface Props extends ButtonHTMLAttributes<HTMLButtonElement> {
  tone?: Tone;
  /** The key that does the same, shown beside the words. */
  hint?: string;
}

export function Button({ tone = "plain", hint, children, className = "", ...rest }: Props) {
  return (
    <button type="button" className={`${buttonClass(tone)} ${className}`} {...rest}>
      {children}
      {hint && <Key>{hint}</Key>}
    </button>
  );
}

export function Key({ children }: { children: string }) {
  return (
    <kbd aria-hidden className="rounded-xs border border-current px-1 font-sans text-note leading-4!">
      {children}
    </kbd>
  );
}
