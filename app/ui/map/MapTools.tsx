import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useSearchParams } from "react-router";
import { ATTRIBUTES } from "#core/topology/attributes";
import { CARD_FIGURES } from "#core/topology/card-figures";
import { useChangeParams } from "../../shell/params";
import { useTyped } from "../../shell/typed";
import { Choice } from "../Choice";
import type { MapData } from "./StrataMap";

export interface MapAsked {
  service: string;
  site: string;
  collection?: number | undefined;
  incident?: number | undefined;
  around?: number | undefined;
  up?: number | undefined;
  down?: number | undefined;
  /** Ends of a way. */
  a?: number | undefined;
  b?: number | undefined;
  by: readonly string[];
  only: string;
  figure: string;
  find: string;
  view: string;
}

/** Parameters that say which part of the estate a map is of. */
const SCOPE = ["service", "site", "collection", "incident", "around", "up", "down", "a", "b"] as const;

function scopeOf({ a, b, around, incident, site, service, collection }: MapAsked): string {
  if (a && b) return "way:";
  if (around) return `around:${around}`;
  if (incident) return `incident:${incident}`;
  if (site) return `site:${site}`;
  if (service) return `service:${service}`;
  return collection ? `collection:${collection}` : "";
}

/** What a map is of, how it is arranged, and what of it is shown. */
export function MapTools({ map, asked }: { map: MapData; asked: MapAsked }) {
  const change = useChangeParams();
  const [params] = useSearchParams();
  const scope = scopeOf(asked);
  const set = (name: string, value: string) =>
    change((next) => {
      if (value) next.set(name, value);
      else next.delete(name);
    });
  const [typed, setTyped] = useTyped(asked.find, (text) => set("find", text), 250);
  return (
    <Stack direction="row" sx={{ gap: 1, mb: 1, flexWrap: "wrap", alignItems: "center" }}>
      <ScopeChoice map={map} scope={scope} />
      {asked.around ? (
        <>
          <Steps label="Steps up" value={asked.up} onChange={(value) => set("up", value)} />
          <Steps label="Steps down" value={asked.down} onChange={(value) => set("down", value)} />
        </>
      ) : null}
      <Arrangement map={map} />
      <Choice
        label="Show"
        value={asked.only}
        width={180}
        onChange={(value) => set("only", value === "all" ? "" : value)}
      >
        <MenuItem value="all">Everything</MenuItem>
        <MenuItem value="unwell">Unwell only</MenuItem>
        <MenuItem value="changed">Changed in window</MenuItem>
        <MenuItem value="marked">Differences marked</MenuItem>
      </Choice>
      <Choice label="Figure on cards" value={asked.figure} width={150} onChange={(value) => set("figure", value)}>
        <MenuItem value="">As usual</MenuItem>
        {CARD_FIGURES.map((one) => (
          <MenuItem key={one.value} value={one.value}>
            {one.label}
          </MenuItem>
        ))}
      </Choice>
      <TextField
        label="Find on the map"
        type="search"
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
        sx={{ width: 170 }}
        slotProps={{ htmlInput: { maxLength: 100 } }}
      />
      {map.foundCount === null ? null : <span role="status">{map.foundCount.toLocaleString("en-GB")} found</span>}
      <Choice label="As" value={asked.view} width={90} onChange={(value) => set("view", value === "map" ? "" : value)}>
        <MenuItem value="map">Map</MenuItem>
        <MenuItem value="list">List</MenuItem>
      </Choice>
      {params.getAll("open").length > 1 ? (
        <button type="button" className="hx-button" onClick={() => set("open", "")}>
          Close all groups
        </button>
      ) : null}
    </Stack>
  );
}

/** By what groups are made, and by what within them. */
function Arrangement({ map }: { map: MapData }) {
  const change = useChangeParams();
  const arrange = (place: 0 | 1, value: string) =>
    change((next) => {
      const by: string[] = [...map.by];
      by[place] = value;
      if (place === 0 && by[1] === value) by.length = 1;
      next.delete("open");
      next.set("by", by.filter(Boolean).slice(0, 2).join(","));
    });
  const [first = "", second = ""] = map.by;
  return (
    <>
      <Choice label="Arrange by" value={first} width={130} onChange={(value) => arrange(0, value)}>
        {ATTRIBUTES.map((one) => (
          <MenuItem key={one.value} value={one.value}>
            {one.label}
          </MenuItem>
        ))}
      </Choice>
      <Choice label="then by" value={second} width={130} onChange={(value) => arrange(1, value)}>
        <MenuItem value="">Nothing more</MenuItem>
        {ATTRIBUTES.filter((one) => one.value !== first && one.value !== "layer").map((one) => (
          <MenuItem key={one.value} value={one.value}>
            {one.label}
          </MenuItem>
        ))}
      </Choice>
    </>
  );
}

const Steps = ({
  label,
  value,
  onChange,
}: {
  label: string;
  value: number | undefined;
  onChange: (value: string) => void;
}) => (
  <Choice label={label} value={String(value ?? 2)} width={90} onChange={onChange}>
    {[0, 1, 2, 3, 4, 6, 8].map((count) => (
      <MenuItem key={count} value={String(count)}>
        {count}
      </MenuItem>
    ))}
  </Choice>
);

/** Which part of the estate is drawn. */
function ScopeChoice({ map, scope }: { map: MapData; scope: string }) {
  const change = useChangeParams();
  const choose = (value: string) =>
    change((next) => {
      for (const name of [...SCOPE, "open", "show"]) next.delete(name);
      const [name, ...rest] = value.split(":");
      if (name && rest.length) next.set(name, rest.join(":"));
    });
  return (
    <Choice label="Part of the estate" value={scope} width={210} onChange={choose}>
      <MenuItem value="">The whole estate</MenuItem>
      {scope.startsWith("around") ? <MenuItem value={scope}>Around {map.name}</MenuItem> : null}
      {scope.startsWith("incident") ? <MenuItem value={scope}>{map.name}</MenuItem> : null}
      {scope === "way:" ? <MenuItem value="way:">Way between two</MenuItem> : null}
      {map.services.map((one) => (
        <MenuItem key={one.uid} value={`service:${one.uid}`}>
          {one.name}
        </MenuItem>
      ))}
      {map.sites.map((one) => (
        <MenuItem key={one.site} value={`site:${one.site}`}>
          Site {one.site} ({one.count})
        </MenuItem>
      ))}
      {map.collections.map((one) => (
        <MenuItem key={one.id} value={`collection:${one.id}`}>
          Collection {one.name}
        </MenuItem>
      ))}
    </Choice>
  );
}
