import { useState } from "react";
import { useLocation, useNavigation } from "react-router";

/**
 * What a form of a page was answered, for as long as one stays on it. React Router forgets it when the page loads anew by
 * itself, which it does whenever something that it shows has changed; a code that is shown once would be lost. It tells the
 * answer before it has loaded what the page shows; it is given only with it, so that the page moves once under one's pointer
 * and never says that something is gone while it still shows it.
 */
export function useAnswer<T>(given: T | undefined): T | undefined {
  const { key } = useLocation();
  const { state } = useNavigation();
  const [kept, setKept] = useState({ key, answer: given });
  const arrived = state !== "loading" && given !== undefined;
  if (arrived && (kept.answer !== given || kept.key !== key)) setKept({ key, answer: given });
  return arrived ? given : kept.key === key ? kept.answer : undefined;
}
