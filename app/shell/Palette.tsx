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

  const hits = useMemo((): Hit[] => {
    const wanted = text.trim().toLowerCase();
    const pages = PLACES.flatMap((place) => [place, ...(place.more ?? [])])
      .filter((place) => place.label.toLowerCase().includes(wanted))
      .map((place) => ({ key: place.to, label: place.label, what: "page", to: place.to }));
    const found = wanted ? fetcher.data : undefined;
    if (!found) return pages;
    return [
      ...found.services.map((one) => ({
        key: `s${one.uid}`,
        label: one.name,
        what: "service",
        to: `/services/${one.uid}`,
      })),
      ...found.components.map((one) => ({
        key: `c${one.id}`,
        label: one.name,
        what: `${kindInfo(one.kind).label.toLowerCase()}${one.address ? `, ${one.address}` : ""}`,
        to: `/estate/${one.id}`,
      })),
      ...found.incidents.map((one) => ({
        key: `i${one.id}`,
        label: one.title,
        what: `incident of ${dayAndTime(one.openedAt)}`,
        to: `/incidents/${one.id}`,
      })),
      ...found.runbooks.map((one) => ({
        key: `r${one.id}`,
        label: one.name,
        what: "runbook",
        to: `/runbooks/${one.id}`,
      })),
      ...pages,
    ];
  }, [text, fetcher.data]);
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
          <ListItemButton
            key={hit.key}
            id={`hit-${hit.key}`}
            role="option"
            aria-selected={index === chosen}
            selected={index === chosen}
            onClick={() => go(hit)}
            onMouseMove={() => setAt(index)}
          >
            <ListItemText primary={hit.label} slotProps={{ primary: { noWrap: true } }} />
            <Typography variant="caption" sx={{ color: "text.secondary", ml: 2, whiteSpace: "nowrap" }}>
              {hit.what}
            </Typography>
          </ListItemButton>
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
