import DarkModeOutlined from "@mui/icons-material/DarkModeOutlined";
import KeyboardOutlined from "@mui/icons-material/KeyboardOutlined";
import LightModeOutlined from "@mui/icons-material/LightModeOutlined";
import PushPinOutlined from "@mui/icons-material/PushPinOutlined";
import SearchOutlined from "@mui/icons-material/SearchOutlined";
import Badge from "@mui/material/Badge";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import Popover from "@mui/material/Popover";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";
import { useColorScheme } from "@mui/material/styles";
import { useEffect, useState } from "react";
import { NavLink, useFetcher } from "react-router";
import { clockTime } from "#core/time/windows";
import { useMounted } from "../ui/HouseChart";
import { useLive } from "./live";
import { PLACES } from "./places";
import { useTray } from "./tray";
import { useKeep, useShell } from "./window";

/** The mark of the product: three strata, shifted as layers of a map. */
function Mark() {
  return (
    <svg width="24" height="20" viewBox="0 0 24 20" aria-hidden="true">
      <path d="M6 3 H22" stroke="currentColor" strokeWidth="3" />
      <path d="M2 10 H15" stroke="currentColor" strokeWidth="3" opacity="0.75" />
      <path d="M9 17 H24" stroke="currentColor" strokeWidth="3" opacity="0.5" />
    </svg>
  );
}

export function TopBar({ onFind, onKeys }: { onFind: () => void; onKeys: () => void }) {
  const shell = useShell();
  const keep = useKeep();
  const { connected } = useLive();
  const tray = useTray();
  return (
    <Stack
      component="header"
      direction="row"
      sx={{
        alignItems: "center",
        gap: 1.5,
        px: 1.5,
        height: 44,
        borderBottom: 1,
        borderColor: "divider",
        bgcolor: "background.paper",
      }}
    >
      <Stack direction="row" sx={{ alignItems: "center", gap: 1, color: "primary.main", mr: 1 }}>
        <Mark />
        <Typography component="span" sx={{ fontWeight: 700, letterSpacing: "0.01em", color: "text.primary" }}>
          Holotaxis
        </Typography>
      </Stack>
      <Box component="nav" aria-label="Places" sx={{ display: "flex", alignSelf: "stretch" }}>
        {PLACES.map((place) => (
          <Box
            key={place.to}
            component={NavLink}
            to={keep(place.to)}
            end={place.to === "/"}
            sx={{
              display: "flex",
              alignItems: "center",
              gap: 0.75,
              px: 1.25,
              color: "text.secondary",
              textDecoration: "none",
              fontSize: "0.88rem",
              boxShadow: "none",
              "&:hover": { color: "text.primary" },
              "&.active": {
                color: "text.primary",
                fontWeight: 650,
                boxShadow: "inset 0 -2px 0 var(--mui-palette-primary-main)",
              },
            }}
          >
            {place.label}
            {place.to === "/incidents" && shell.ribbon.openCount > 0 ? (
              <Box
                component="span"
                aria-label={`${shell.ribbon.openCount} open`}
                sx={{
                  fontSize: "0.72rem",
                  fontWeight: 700,
                  px: 0.6,
                  borderRadius: 0.5,
                  bgcolor: "var(--hx-critical)",
                  color: "var(--hx-on-severity)",
                }}
              >
                {shell.ribbon.openCount}
              </Box>
            ) : null}
          </Box>
        ))}
      </Box>
      <Box sx={{ flex: 1 }} />
      <Button
        color="inherit"
        variant="outlined"
        onClick={onFind}
        startIcon={<SearchOutlined />}
        sx={{
          color: "text.secondary",
          borderColor: "divider",
          fontWeight: 400,
          py: 0.25,
          flex: "none",
          whiteSpace: "nowrap",
          // A narrow bar keeps its words and leaves the keys out.
          "@media (max-width: 1180px)": { "& kbd": { display: "none" } },
        }}
      >
        Find&ensp;<kbd style={{ fontSize: "0.72rem" }}>Ctrl K</kbd>
      </Button>
      <Clock connected={connected} />
      <Tooltip title="Evidence tray ( e )">
        <IconButton aria-label={`Evidence tray, ${shell.tray.pins.length} pinned`} onClick={() => tray.setOpen(true)}>
          <Badge
            badgeContent={shell.tray.pins.length}
            color="primary"
            sx={{ "& .MuiBadge-badge": { height: 16, minWidth: 16, fontSize: "0.69rem", top: 3, right: 1 } }}
          >
            <PushPinOutlined fontSize="small" />
          </Badge>
        </IconButton>
      </Tooltip>
      <Tooltip title="Keys ( ? )">
        <IconButton aria-label="Keys" onClick={onKeys}>
          <KeyboardOutlined fontSize="small" />
        </IconButton>
      </Tooltip>
      <ThemeSwitch />
      <Who />
    </Stack>
  );
}

/** The shared clock, in UTC; it says when the page no longer hears from the server. */
function Clock({ connected }: { connected: boolean }) {
  const { window: now, pace, clockSet } = useShell();
  const mounted = useMounted();
  const [shown, setShown] = useState(now.nowMs);
  useEffect(() => {
    const began = performance.now();
    setShown(now.nowMs);
    const timer = setInterval(() => setShown(now.nowMs + (performance.now() - began) * pace), 1000);
    return () => clearInterval(timer);
  }, [now.nowMs, pace]);
  return (
    <Tooltip
      title={`${clockSet ? "The clock was set at the start. " : ""}${connected ? "Live: this page follows the server." : "Connection lost; reconnecting."}`}
    >
      <Typography
        variant="caption"
        component="span"
        sx={{
          color: connected || !mounted ? "text.secondary" : "error.main",
          whiteSpace: "nowrap",
          minWidth: 66,
          textAlign: "right",
        }}
      >
        {connected || !mounted ? `${clockTime(shown, mounted)} UTC` : "offline"}
      </Typography>
    </Tooltip>
  );
}

function ThemeSwitch() {
  const { mode, systemMode, setMode } = useColorScheme();
  const mounted = useMounted();
  const night = mounted && (mode === "system" ? systemMode : mode) === "dark";
  return (
    <Tooltip title={night ? "Day theme" : "Night theme"}>
      <IconButton aria-label={night ? "Day theme" : "Night theme"} onClick={() => setMode(night ? "light" : "dark")}>
        {night ? <LightModeOutlined fontSize="small" /> : <DarkModeOutlined fontSize="small" />}
      </IconButton>
    </Tooltip>
  );
}

/** Whose name stands on what is done here. */
function Who() {
  const { who } = useShell();
  const fetcher = useFetcher<{ ok: boolean; problem?: string }>();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  useEffect(() => {
    if (fetcher.state === "idle" && fetcher.data?.ok) setAnchor(null);
  }, [fetcher.state, fetcher.data]);
  return (
    <>
      <Button
        color="inherit"
        onClick={(event) => setAnchor(event.currentTarget)}
        sx={{
          fontWeight: 400,
          maxWidth: 160,
          whiteSpace: "nowrap",
          overflow: "hidden",
          textOverflow: "ellipsis",
          display: "block",
        }}
      >
        {who}
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "bottom", horizontal: "right" }}
        transformOrigin={{ vertical: "top", horizontal: "right" }}
      >
        <Box component={fetcher.Form} method="post" action="/who" sx={{ p: 2, width: 280 }}>
          <Typography variant="body2" sx={{ mb: 1 }}>
            Your name is recorded on what you do in this browser.
          </Typography>
          <TextField
            name="name"
            label="Name"
            defaultValue={who}
            fullWidth
            autoFocus
            error={fetcher.data?.ok === false}
            helperText={fetcher.data?.problem}
            slotProps={{ htmlInput: { maxLength: 60 } }}
          />
          <Button type="submit" variant="contained" sx={{ mt: 1 }}>
            Save
          </Button>
        </Box>
      </Popover>
    </>
  );
}
