import { useEffect, useRef, useState } from "react";

/**
 * Text of a field that is handed on when somebody pauses, and that follows when what it stands for is changed elsewhere: by a
 * link to a kept filter, or by going back. What was typed meanwhile stays when only its own beginning comes back.
 */
export function useTyped(
  value: string,
  apply: (text: string) => void,
  waitMs = 200,
): [text: string, change: (text: string) => void] {
  const [{ typed, given, sent }, set] = useState({ typed: value, given: value, sent: value });
  if (given !== value) set({ typed: value.trim() === sent.trim() ? typed : value, given: value, sent: value });
  const latest = useRef(apply);
  useEffect(() => {
    latest.current = apply;
  });
  useEffect(() => {
    if (typed === value || typed === sent) return;
    const timer = setTimeout(() => {
      set((now) => ({ ...now, sent: typed }));
      latest.current(typed);
    }, waitMs);
    return () => clearTimeout(timer);
  }, [typed, value, sent, waitMs]);
  return [typed, (text) => set((now) => ({ ...now, typed: text }))];
}
