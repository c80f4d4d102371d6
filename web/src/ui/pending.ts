import { createContext, useCallback, useContext, useEffect, useMemo, useState } from "react";

/** Tells the view that a field holds something typed that is not in force yet. */
type Tell = (field: string, pending: boolean) => void;

export const Pending = createContext<Tell | null>(null);

/** The fields below the provider that hold something typed and not yet in force, or that cannot be read. */
export function usePendingFields() {
  const [fields, setFields] = useState<ReadonlySet<string>>(() => new Set());
  const tell = useCallback<Tell>((field, pending) => {
    setFields((before) => {
      if (before.has(field) === pending) return before;
      const after = new Set(before);
      if (pending) after.add(field);
      else after.delete(field);
      return after;
    });
  }, []);
  return useMemo(() => ({ tell, any: fields.size > 0 }), [tell, fields]);
}

/** From a field: whether what stands in it is not in force yet. */
export function useTellPending(field: string, pending: boolean) {
  const tell = useContext(Pending);
  useEffect(() => tell?.(field, pending), [tell, field, pending]);
  useEffect(() => () => tell?.(field, false), [tell, field]);
}
