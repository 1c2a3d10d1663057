import Box from "@mui/material/Box";
import Dialog from "@mui/material/Dialog";
import InputBase from "@mui/material/InputBase";
import List from "@mui/material/List";
import ListItemButton from "@mui/material/ListItemButton";
import ListItemText from "@mui/material/ListItemText";
import Typography from "@mui/material/Typography";
import { useEffect, useMemo, useState } from "react";
import { useFetcher, useNavigate } from "react-router";
import { kindInfo } from "#core/catalogue/kinds";
import { dayAndTime } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { PLACES } from "./places";
import { useKeep } from "./window";

interface Hit {
  key: string;
  label: string;
  what: string;
  to: string;
}

/** Pages whose names fit, and what the server found. */
function hitsOf(text: string, data: Answer<"find"> | undefined): Hit[] {
  const wanted = text.trim().toLowerCase();
  const pages = PLACES.flatMap((place) => [place, ...(place.more ?? [])])
    .filter((place) => place.label.toLowerCase().includes(wanted))
    .map((place) => ({ key: place.to, label: place.label, what: "page", to: place.to }));
  const found = wanted ? data : undefined;
  if (!found) return pages;
  return [
    ...found.services.map(({ uid, name }) => ({
      key: `s${uid}`,
      label: name,
      what: "service",
      to: `/services/${uid}`,
    })),
    ...found.components.map(({ id, name, kind, address }) => ({
      key: `c${id}`,
      label: name,
      what: `${kindInfo(kind).label.toLowerCase()}${address ? `, ${address}` : ""}`,
      to: `/estate/${id}`,
    })),
    ...found.incidents.map(({ id, title, openedAt }) => ({
      key: `i${id}`,
      label: title,
      what: `incident of ${dayAndTime(openedAt)}`,
      to: `/incidents/${id}`,
    })),
    ...found.runbooks.map(({ id, name }) => ({ key: `r${id}`, label: name, what: "runbook", to: `/runbooks/${id}` })),
    ...pages,
  ];
}

/** Finds any component, service, incident, runbook or page by a few letters. */
export function Palette({ onClose }: { onClose: () => void }) {
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const fetcher = useFetcher<Answer<"find">>();
  const navigate = useNavigate();
  const keep = useKeep();
  const { load } = fetcher;

  useEffect(() => {
    if (text.trim().length < 1) return;
    const timer = setTimeout(() => void load(`/find?q=${encodeURIComponent(text.trim())}`), 120);
    return () => clearTimeout(timer);
  }, [text, load]);

  const hits = useMemo(() => hitsOf(text, fetcher.data), [text, fetcher.data]);
  const chosen = Math.min(at, Math.max(0, hits.length - 1));
  const go = (hit: Hit | undefined) => {
    if (!hit) return;
    onClose();
    void navigate(keep(hit.to));
  };

  return (
    <Dialog
      open
      onClose={onClose}
      fullWidth
      maxWidth="sm"
      aria-label="Find anything"
      sx={{ "& .MuiDialog-container": { alignItems: "flex-start" } }}
    >
      <Box sx={{ px: 2, py: 1, borderBottom: 1, borderColor: "divider" }}>
        <InputBase
          autoFocus
          fullWidth
          placeholder="Name, address, service, incident, runbook or page"
          value={text}
          onChange={(event) => {
            setText(event.target.value);
            setAt(0);
          }}
          onKeyDown={(event) => {
            if (event.key === "ArrowDown") setAt(Math.min(chosen + 1, hits.length - 1));
            else if (event.key === "ArrowUp") setAt(Math.max(chosen - 1, 0));
            else if (event.key === "Enter") go(hits[chosen]);
            else return;
            event.preventDefault();
          }}
          inputProps={{
            "aria-label": "Find anything",
            role: "combobox",
            "aria-expanded": true,
            "aria-controls": "palette-hits",
            "aria-activedescendant": hits[chosen] ? `hit-${hits[chosen].key}` : undefined,
          }}
        />
      </Box>
      <List dense id="palette-hits" role="listbox" aria-label="Found" sx={{ maxHeight: 420, overflow: "auto" }}>
        {hits.map((hit, index) => (
          <HitRow key={hit.key} hit={hit} chosen={index === chosen} onGo={go} onPoint={() => setAt(index)} />
        ))}
        {hits.length === 0 ? (
          <Typography variant="body2" sx={{ px: 2, py: 1, color: "text.secondary" }}>
            {fetcher.state === "idle" ? "No matches." : "Searching …"}
          </Typography>
        ) : null}
      </List>
    </Dialog>
  );
}

function HitRow({
  hit,
  chosen,
  onGo,
  onPoint,
}: {
  hit: Hit;
  chosen: boolean;
  onGo: (hit: Hit) => void;
  onPoint: () => void;
}) {
  return (
    <ListItemButton
      id={`hit-${hit.key}`}
      role="option"
      aria-selected={chosen}
      selected={chosen}
      onClick={() => onGo(hit)}
      onMouseMove={onPoint}
    >
      <ListItemText primary={hit.label} slotProps={{ primary: { noWrap: true } }} />
      <Typography variant="caption" sx={{ color: "text.secondary", ml: 2, whiteSpace: "nowrap" }}>
        {hit.what}
      </Typography>
    </ListItemButton>
  );
}
