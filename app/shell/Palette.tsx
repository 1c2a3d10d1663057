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
  const recentKeys = new Set(wanted ? [] : recentHits().map((one) => one.to));
  const pages = PLACES.flatMap((place) => [place, ...(place.more ?? [])])
    .filter((place) => place.label.toLowerCase().includes(wanted) && !recentKeys.has(place.to))
    .map((place) => ({ key: place.to, label: place.label, what: "page", to: place.to }));
  const found = wanted ? data : undefined;
  if (!found) return [...recentHits(), ...pages];
  const component = ({ id, name, kind, address }: (typeof found.components)[number]) => ({
    key: `c${id}`,
    label: name,
    what: `${kindInfo(kind).label.toLowerCase()}${address ? `, ${address}` : ""}`,
    to: `/estate/${id}`,
  });
  const service = ({ uid, name }: (typeof found.services)[number]) => ({
    key: `s${uid}`,
    label: name,
    what: "service",
    to: `/services/${uid}`,
  });
  const hits: Hit[] = [
    ...found.services.map(service),
    ...found.components.map(component),
    ...found.incidents.map(({ id, title, openedAt }) => ({
      key: `i${id}`,
      label: title,
      what: `incident ${id} of ${dayAndTime(openedAt)}`,
      to: `/incidents/${id}`,
    })),
    ...found.runbooks.map(({ id, name }) => ({ key: `r${id}`, label: name, what: "runbook", to: `/runbooks/${id}` })),
    ...found.views.map(({ id, page, name, query, madeBy }) => ({
      key: `v${id}`,
      label: name,
      what: `saved ${page === "map" ? "map" : "view of incidents"} of ${madeBy}`,
      to: `/${page}${query ? `?${query}` : ""}`,
    })),
    ...found.collections.map(({ id, name }) => ({
      key: `k${id}`,
      label: name,
      what: "collection",
      to: `/estate/collections/${id}`,
    })),
    ...pages,
    ...found.facts.map(({ name, value, count }) => ({
      key: `f${name} ${value}`,
      label: value,
      what: `${name} of ${count} ${count === 1 ? "component" : "components"}`,
      to: `/estate?${new URLSearchParams({ fact: `${name}:${value}` }).toString()}`,
    })),
    ...found.metrics.map(({ metric, name }) => ({
      key: `x${metric}`,
      label: name,
      what: "metric",
      to: `/signals/metrics?${new URLSearchParams({ line: `metric~${metric};pick~highest;count~10` }).toString()}`,
    })),
    ...found.relations.map(({ id, from, to, type }) => ({
      key: `l${id}`,
      label: `${from} → ${to}`,
      what: `relation, ${type.replaceAll("-", " ")}`,
      to: `/relations/${id}`,
    })),
    ...found.patterns.map(({ id, text: pattern, count }) => ({
      key: `p${id}`,
      label: pattern,
      what: `log pattern, ${count} ${count === 1 ? "record" : "records"}`,
      to: `/signals/logs?pattern=${id}&last=P1D`,
    })),
    ...(found.near?.services ?? []).map((one) => ({ ...service(one), what: "service, nearly" })),
    ...(found.near?.components ?? []).map((one) => ({ ...component(one), what: `${component(one).what}, nearly` })),
  ];
  // What was opened lately goes first among what fits.
  const recent = recentHits().map((one) => one.key);
  const rank = (hit: Hit) => (recent.includes(hit.key) ? recent.indexOf(hit.key) : recent.length);
  return hits.sort((a, b) => rank(a) - rank(b));
}

const RECENT = "palette-recent";
const MOST_RECENT = 8;

function recentHits(): Hit[] {
  try {
    const kept = JSON.parse(localStorage.getItem(RECENT) ?? "[]") as Hit[];
    return kept.filter((hit) => typeof hit.to === "string" && hit.to.startsWith("/")).slice(0, MOST_RECENT);
  } catch {
    return [];
  }
}

const keepHit = (hit: Hit): void =>
  localStorage.setItem(
    RECENT,
    JSON.stringify([hit, ...recentHits().filter((one) => one.key !== hit.key)].slice(0, MOST_RECENT)),
  );

/** Finds components, services, incidents, runbooks, versions, metrics, maps, relations, log patterns and pages by a few letters. */
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
    keepHit(hit);
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
          placeholder="Name, address, service, incident, version, metric, map, page …"
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
