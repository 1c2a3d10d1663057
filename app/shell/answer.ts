import { useState } from "react";
import { useLocation } from "react-router";

/**
 * What a form of a page was answered, for as long as one stays on it. React Router forgets it when the page loads anew by
 * itself, which it does whenever something that it shows has changed; a code that is shown once would be lost.
 */
export function useAnswer<T>(given: T | undefined): T | undefined {
  const { key } = useLocation();
  const [kept, setKept] = useState({ key, answer: given });
  if (given !== undefined && (kept.answer !== given || kept.key !== key)) setKept({ key, answer: given });
  return given ?? (kept.key === key ? kept.answer : undefined);
}
