import { useSyncExternalStore } from "react";

const never = () => () => undefined;

/**
 * True in the browser once the page the server sent has been taken over; from then on true at once, so that a move
 * inside the application draws its canvases with the rest. Canvases are left out of what the server sends.
 */
export function useMounted(): boolean {
  return useSyncExternalStore(
    never,
    () => true,
    () => false,
  );
}
