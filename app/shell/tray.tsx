import CloseOutlined from "@mui/icons-material/CloseOutlined";
import DeleteOutlined from "@mui/icons-material/DeleteOutlineOutlined";
import MapOutlined from "@mui/icons-material/AccountTreeOutlined";
import ShowChart from "@mui/icons-material/ShowChartOutlined";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Drawer from "@mui/material/Drawer";
import IconButton from "@mui/material/IconButton";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useSnackbar } from "notistack";
import { createContext, useCallback, useContext, useEffect, useState, type ReactNode } from "react";
import { Link as RouterLink, useFetcher, useLocation } from "react-router";
import { clockTime, dayAndTime } from "#core/time/windows";
import { useShell } from "./window";
import { useWhyNot } from "../ui/RightButton";

export interface Pin {
  kind: "chart" | "map";
  title: string;
  detail: string;
  fromMs: number;
  toMs: number;
  incidentId?: number;
  /** Where it is shown again; this page when left out. */
  address?: string;
}

const TrayContext = createContext<{ pin: (pin: Pin) => void; open: boolean; setOpen: (open: boolean) => void }>({
  pin: () => undefined,
  open: false,
  setOpen: () => undefined,
});

/** Pins a view with its window: into an incident when one is named, else to the tray. */
export const usePin = () => useContext(TrayContext).pin;
export const useTray = () => useContext(TrayContext);

interface Answer {
  ok: boolean;
  problem?: string;
  said?: string;
}

export function TrayProvider({ children }: { children: ReactNode }) {
  const fetcher = useFetcher<Answer>();
  const { pathname, search } = useLocation();
  const { enqueueSnackbar } = useSnackbar();
  const [open, setOpen] = useState(false);
  const { submit } = fetcher;
  const reason = useWhyNot("respond");
  const pin = useCallback(
    (one: Pin) => {
      if (reason !== undefined) return void enqueueSnackbar(reason);
      const params = new URLSearchParams(search);
      params.delete("last");
      params.set("from", new Date(one.fromMs).toISOString());
      params.set("to", new Date(one.toMs).toISOString());
      void submit(
        {
          intent: "pin",
          kind: one.kind,
          title: one.title,
          detail: one.detail,
          fromMs: String(Math.round(one.fromMs)),
          toMs: String(Math.round(one.toMs)),
          incidentId: String(one.incidentId ?? ""),
          address: one.address ?? `${pathname}?${params.toString()}`,
        },
        { method: "post", action: "/evidence" },
      );
    },
    [submit, pathname, search, reason, enqueueSnackbar],
  );
  useEffect(() => {
    if (fetcher.state === "idle" && fetcher.data)
      enqueueSnackbar(
        fetcher.data.ok ? (fetcher.data.said ?? "Pinned.") : (fetcher.data.problem ?? "Could not be pinned."),
        { variant: fetcher.data.ok ? "default" : "error" },
      );
  }, [fetcher.state, fetcher.data, enqueueSnackbar]);
  return (
    <TrayContext.Provider value={{ pin, open, setOpen }}>
      {children}
      {open ? <Tray onClose={() => setOpen(false)} /> : null}
    </TrayContext.Provider>
  );
}

function Tray({ onClose }: { onClose: () => void }) {
  const { tray } = useShell();
  const fetcher = useFetcher<Answer>();
  const { pathname } = useLocation();
  const here = /^\/incidents\/(\d+)/.exec(pathname)?.[1];
  const { enqueueSnackbar } = useSnackbar();
  useEffect(() => {
    if (fetcher.state !== "idle" || !fetcher.data) return;
    enqueueSnackbar(fetcher.data.ok ? (fetcher.data.said ?? "Done.") : (fetcher.data.problem ?? "That did not work."), {
      variant: fetcher.data.ok ? "default" : "error",
    });
    if (fetcher.data.ok && tray.pins.length === 0) onClose();
    // eslint-disable-next-line react-hooks/exhaustive-deps -- told once for each answer
  }, [fetcher.state, fetcher.data]);
  return (
    <Drawer
      anchor="right"
      open
      onClose={onClose}
      slotProps={{
        paper: {
          sx: { width: 340, borderLeft: 1, borderColor: "divider" },
          "aria-label": "Evidence tray",
          role: "dialog",
        },
      }}
    >
      <Stack direction="row" sx={{ alignItems: "center", px: 2, py: 1, borderBottom: 1, borderColor: "divider" }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Evidence tray
        </Typography>
        <IconButton aria-label="Close the evidence tray" onClick={onClose}>
          <CloseOutlined fontSize="small" />
        </IconButton>
      </Stack>
      <Box sx={{ p: 2, flex: 1, overflow: "auto" }}>
        {tray.pins.length === 0 ? (
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            Nothing pinned yet. Pin a chart or the map; each pin keeps its time window.
          </Typography>
        ) : (
          <Stack sx={{ gap: 1 }} component="ul" style={{ listStyle: "none", padding: 0, margin: 0 }}>
            {tray.pins.map((pin) => (
              <PinRow key={pin.id} pin={pin} fetcher={fetcher} />
            ))}
          </Stack>
        )}
      </Box>
      {tray.pins.length > 0 ? (
        <Box sx={{ p: 2, borderTop: 1, borderColor: "divider" }}>
          {tray.incidents.length === 0 && !here ? (
            <Typography variant="body2" sx={{ color: "text.secondary" }}>
              No open incident. Pins stay here until there is one.
            </Typography>
          ) : (
            <AttachForm fetcher={fetcher} here={here} />
          )}
        </Box>
      ) : null}
    </Drawer>
  );
}

type KeptPin = ReturnType<typeof useShell>["tray"]["pins"][number];
type TrayFetcher = ReturnType<typeof useFetcher<Answer>>;

function PinRow({ pin, fetcher }: { pin: KeptPin; fetcher: TrayFetcher }) {
  return (
    <Stack
      component="li"
      direction="row"
      sx={{ alignItems: "center", gap: 1, border: 1, borderColor: "divider", borderRadius: 1, p: 1 }}
    >
      {pin.kind === "chart" ? (
        <ShowChart fontSize="small" aria-label="Chart" />
      ) : (
        <MapOutlined fontSize="small" aria-label="Map" />
      )}
      <Box sx={{ flex: 1, minWidth: 0 }}>
        <Typography variant="body2" component={RouterLink} to={pin.address} sx={{ color: "text.primary" }}>
          {pin.title}
        </Typography>
        <Typography variant="caption" component="p" sx={{ color: "text.secondary" }}>
          {dayAndTime(pin.from_at)} to {clockTime(pin.to_at)}
        </Typography>
      </Box>
      <fetcher.Form method="post" action="/evidence">
        <input type="hidden" name="intent" value="remove" />
        <input type="hidden" name="id" value={pin.id} />
        <IconButton type="submit" aria-label={`Remove ${pin.title} from the tray`}>
          <DeleteOutlined sx={{ fontSize: 16 }} />
        </IconButton>
      </fetcher.Form>
    </Stack>
  );
}

/** Attaches all pins to an incident: to the one that is open on the page, else to the newest. */
function AttachForm({ fetcher, here }: { fetcher: TrayFetcher; here: string | undefined }) {
  const { tray } = useShell();
  const [chosen, setChosen] = useState("");
  const incident = chosen || (here ?? (tray.incidents[0] ? String(tray.incidents[0].id) : ""));
  return (
    <fetcher.Form method="post" action="/evidence">
      <input type="hidden" name="intent" value="attach" />
      <TextField
        select
        fullWidth
        label="Incident"
        name="incidentId"
        value={incident}
        onChange={(event) => setChosen(event.target.value)}
        sx={{ mb: 1 }}
      >
        {here && !tray.incidents.some((one) => String(one.id) === here) ? (
          <MenuItem value={here}>Incident {here}</MenuItem>
        ) : null}
        {tray.incidents.map((one) => (
          <MenuItem key={one.id} value={String(one.id)}>
            <span style={{ whiteSpace: "normal" }}>
              {one.id}: {one.title}
            </span>
          </MenuItem>
        ))}
      </TextField>
      <Button type="submit" variant="contained" fullWidth>
        Attach {tray.pins.length === 1 ? "the pin" : `all ${tray.pins.length} pins`} to the incident
      </Button>
    </fetcher.Form>
  );
}
