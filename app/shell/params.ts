import { useCallback, useEffect, useRef } from "react";
import { useLocation, useNavigate } from "react-router";

/**
 * Changes parts of the address. Changes that follow each other quickly, typing and a click say, add up: each starts
 * from what the one before it meant to do, not from the address that still stands there while the page loads.
 */
export function useChangeParams(): (alter: (params: URLSearchParams) => void, replace?: boolean) => void {
  const { search } = useLocation();
  const navigate = useNavigate();
  const intended = useRef(search);
  useEffect(() => {
    intended.current = search;
  }, [search]);
  return useCallback(
    (alter, replace = false) => {
      const params = new URLSearchParams(intended.current);
      alter(params);
      intended.current = `?${params}`;
      void navigate({ search: intended.current }, { replace, preventScrollReset: true });
    },
    [navigate],
  );
}

/** Sets the given names, and deletes those whose value is empty. */
export const applyChanges = (params: URLSearchParams, changes: Readonly<Record<string, string>>): void => {
  for (const [name, value] of Object.entries(changes)) {
    if (value) params.set(name, value);
    else params.delete(name);
  }
};
