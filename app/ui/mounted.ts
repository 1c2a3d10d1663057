import { useSyncExternalStore } from "react";

const never = () => () => undefined;

/**
 * True in the browser once the page the server sent has been taken over; from then on true at once, so that a move
 * inside the application keeps the room of its canvases only until the page is painted. Canvases are left out of what the server sends.
 */
export function useMounted(): boolean {
  return useSyncExternalStore(
    never,
    () => true,
    () => false,
  );
}
