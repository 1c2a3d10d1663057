import Dialog from "@mui/material/Dialog";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import { useHotkeys } from "react-hotkeys-hook";
import { useNavigate } from "react-router";
import { PLACES } from "./places";
import { useKeep, useMoveWindow, useShell } from "./window";
import { PlainTable } from "../ui/PlainTable";

/** Listens for the keys of the frame. */
export function useFrameKeys({
  palette,
  help,
  tray,
}: {
  palette: () => void;
  help: () => void;
  tray: () => void;
}): void {
  const { window: now } = useShell();
  const move = useMoveWindow();
  const navigate = useNavigate();
  const keep = useKeep();
  const spanMs = now.toMs - now.fromMs;
  const byCharacter = { useKey: true } as const;
  useHotkeys("mod+k", palette, { preventDefault: true, enableOnFormTags: true });
  useHotkeys("?", help, byCharacter);
  useHotkeys("e", tray, byCharacter);
  useHotkeys("[", () => move.fix(now.fromMs - spanMs, now.fromMs), byCharacter, [now.fromMs, spanMs]);
  useHotkeys(
    "]",
    () =>
      now.live
        ? undefined
        : now.toMs + spanMs >= now.nowMs
          ? move.follow(spanMs)
          : move.fix(now.toMs, now.toMs + spanMs),
    byCharacter,
    [now.toMs, spanMs, now.live],
  );
  useHotkeys(".", () => move.follow(spanMs), byCharacter, [spanMs]);
  useHotkeys(PLACES.map((_place, index) => String(index + 1)).join(","), (_event, handler) => {
    const place = PLACES[Number(handler.keys?.[0] ?? handler.hotkey) - 1];
    if (place) void navigate(keep(place.to));
  });
}

const KEYS: readonly (readonly [string, string])[] = [
  ["Ctrl + K", "Find anything"],
  [`1 … ${PLACES.length}`, PLACES.map((place) => place.label).join(", ")],
  ["[", "Previous window"],
  ["]", "Next window"],
  [".", "Back to now"],
  ["← →", "Move the window or its ends (with the ribbon focused)"],
  ["e", "Evidence tray"],
  ["?", "These keys"],
];

export function KeysHelp({ onClose }: { onClose: () => void }) {
  return (
    <Dialog open onClose={onClose} aria-labelledby="keys-title">
      <DialogTitle id="keys-title" component="h2">
        Keys
      </DialogTitle>
      <DialogContent>
        <PlainTable>
          <tbody>
            {KEYS.map(([key, what]) => (
              <tr key={key}>
                <td>
                  <kbd>{key}</kbd>
                </td>
                <td>{what}</td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      </DialogContent>
    </Dialog>
  );
}
