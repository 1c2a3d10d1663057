import { kindInfo } from "#core/catalogue/kinds";
import { severityRank } from "#core/alarms/severity";
import { metricName } from "#core/catalogue/metrics";
import { tally, type Group, type Visible } from "#core/topology/arrange";
import { verbOf } from "#core/topology/words";
import { MINUTE_MS } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { alarmsOfComponent } from "../../store/alarms";
import { callFigures } from "../../store/call-figures";
import { changesOf } from "../../store/changes";
import type { Db } from "../../store/database";
import { componentById, componentsById } from "../../store/estate";
import { relationsOf, type RelationRow } from "../../store/relations";
import { resourcesOf, resourcesOfAll } from "../../store/resources";
import { membersOf } from "../../store/services";
import { lastSample, seriesOfMetrics } from "../../store/signals";
import { callsIn } from "../relation";
import { wireOf } from "../wire";
import { tallyText, type Thing } from "./cards";
import { callsAmong, estateAt, gathered, linksAmong, type MapQuestion } from "./page";
import type { At } from "./scope";

export interface PanelQuestion extends MapQuestion {
  /** Id of a card of the map, or "r", the type, and the ids of both ends, joined by "~". */
  show: string;
}

/** A line of a panel that leads to something else on the map. */
export interface PanelLink {
  /** What the panel shows when it is followed. */
  show: string;
  name: string;
  detail: string;
  severity?: Thing["severity"];
}

export interface MapPanel {
  show: string;
  what: "component" | "service" | "group" | "relation";
  /** Kind of the component, or of all members of a group. */
  kind: string;
  name: string;
  sentence: string;
  severity: Thing["severity"];
  figures: { name: string; text: string }[];
  /** Pages that tell more. */
  links: { to: string; name: string }[];
  lists: { title: string; rows: PanelLink[]; more: number }[];
  changes: ReturnType<typeof changesOf>;
  componentId: number | null;
}

const MOST_ROWS = 12;
const MOST_CHANGES = 6;
const MOST_KEPT = 4;
const FRESH_MS = 12 * MINUTE_MS;

const list = (title: string, rows: readonly PanelLink[]) => ({
  title,
  rows: rows.slice(0, MOST_ROWS),
  more: Math.max(0, rows.length - MOST_ROWS),
});

/** What the panel beside a map says of one thing on it; null where there is no such thing. */
export function mapPanel(db: Db, question: PanelQuestion): MapPanel | null {
  const { atMs, fromMs = atMs - 3_600_000, show } = question;
  const at = estateAt(db, atMs, fromMs);
  if (/^c\d+$/.test(show)) return componentPanel(at, Number(show.slice(1)));
  if (/^s\d+$/.test(show)) return servicePanel(at, Number(show.slice(1)));
  const { shown, visible } = gathered(at, question);
  if (show.startsWith("g")) {
    const group = groupOf(visible, show);
    return group ? groupPanel(at, show, group) : null;
  }
  const [relation, type = "", from = "", to = ""] = show.split("~");
  if (relation !== "r") return null;
  return relationPanel(at, { show, type, from, to }, linksAmong(at, shown), visible);
}

function groupOf(visible: readonly Visible<Thing>[], id: string): Group<Thing> | undefined {
  for (const one of visible) {
    if (one.id === id && one.group) return one.group;
    const below = one.inside && groupOf(one.inside, id);
    if (below) return below;
  }
  return undefined;
}

function componentPanel(at: At, id: number): MapPanel | null {
  const { db, atMs, fromMs } = at;
  const row = componentById(db, id);
  if (!row) return null;
  const info = kindInfo(row.kind);
  const health = at.health.get(id);
  const severity = health?.severity ?? "cleared";
  const measured = seriesOfMetrics(db, [id], new Set(info.charts)).get(id);
  const figures = info.charts.flatMap((metric) => {
    const series = measured?.get(metric);
    const last = series && lastSample(db, series.id, atMs, FRESH_MS);
    return last && series ? [{ name: metricName(metric), text: formatValue(last.value, series.unit) }] : [];
  });
  const relations = relationsOf(db, [id], atMs);
  const names = namesOf(at, relations);
  const calls = callsAmong(at, relations);
  const rowOf = (relation: RelationRow): PanelLink => {
    const other = relation.from_id === id ? relation.to_id : relation.from_id;
    return {
      show: `r~${relation.type}~c${relation.from_id}~c${relation.to_id}`,
      name: names.get(other) ?? "?",
      detail: detailOf(relation, calls.get(`${relation.from_id} ${relation.to_id}`)),
      severity: at.health.get(other)?.severity ?? "cleared",
    };
  };
  const out = relations.filter((relation) => relation.from_id === id);
  const into = relations.filter((relation) => relation.to_id === id);
  const host = row.host_id === null ? undefined : componentById(db, row.host_id);
  const gone = row.valid_to !== null && row.valid_to <= atMs;
  return {
    show: `c${id}`,
    what: "component",
    kind: row.kind,
    name: row.name,
    sentence: `${info.label}${host ? ` on ${host.name}` : row.site ? ` at ${row.site}` : ""}, ${gone ? "left the estate" : severity === "cleared" ? "healthy" : `${severity}: ${health?.reason ?? ""}`}.`,
    severity,
    figures: figures.slice(0, 6),
    links: [
      { to: `/estate/${id}`, name: "Open the page" },
      { to: `/signals/logs?component=${id}`, name: "Logs" },
      { to: `/estate/${id}/siblings`, name: "Siblings" },
      { to: `/map/what-if?fail=c${id}`, name: "What if it failed" },
    ],
    lists: [
      list("Needs", out.map(rowOf)),
      list("Needed by", into.map(rowOf)),
      list(
        "Alarms",
        alarmsOfComponent(db, id, fromMs, atMs).map((alarm) => ({
          show: `c${id}`,
          name: alarm.text,
          detail: alarm.cleared_at === null ? "standing" : "cleared",
          severity: alarm.cleared_at === null ? alarm.severity : "cleared",
        })),
      ),
    ],
    changes: changesOf(db, [id], fromMs, atMs, MOST_CHANGES),
    componentId: id,
  };
}

function namesOf({ db }: At, relations: readonly RelationRow[]): Map<number, string> {
  const ids = new Set(relations.flatMap((relation) => [relation.from_id, relation.to_id]));
  return new Map(componentsById(db, ids).map((row) => [row.id, row.name]));
}

function detailOf(relation: RelationRow, calls: { calls: number; failed: number } | undefined): string {
  const parts = [relation.type === "talks-to" ? relation.detail || "connection" : verbOf(relation.type)];
  if (calls) parts.push(callsText(calls));
  if (relation.intermittent) parts.push("comes and goes");
  return parts.join(", ");
}

const callsText = ({ calls, failed }: { calls: number; failed: number }): string =>
  `${calls.toLocaleString("en-GB")} calls${failed ? `, ${formatValue((failed / calls) * 100, "%")} failed` : ""}`;

function servicePanel(at: At, id: number): MapPanel | null {
  const service = at.services.find((one) => one.id === id);
  if (!service) return null;
  const state = at.serviceHealth.get(id);
  const severity = state?.severity ?? "cleared";
  const members = componentsById(
    at.db,
    membersOf(at.db, id, at.atMs).map((member) => member.component_id),
  );
  const unwell = members.filter((row) => (at.health.get(row.id)?.severity ?? "cleared") !== "cleared");
  const relied = at.services.filter((one) => at.reliance.get(id)?.has(one.id));
  const relying = at.services.filter((one) => at.reliance.get(one.id)?.has(id));
  const link = (one: (typeof at.services)[number]): PanelLink => ({
    show: `s${one.id}`,
    name: one.name,
    detail: "service",
    severity: at.serviceHealth.get(one.id)?.severity ?? "cleared",
  });
  return {
    show: `s${id}`,
    what: "service",
    kind: "service",
    name: service.name,
    sentence: `${service.purpose ? `${service.purpose.replace(/\.$/, "")}. ` : ""}${members.length} members, ${unwell.length ? `${unwell.length} unwell` : "all well"}${state?.reason ? `: ${state.reason}` : ""}.`,
    severity,
    figures: [],
    links: [
      { to: `/services/${service.uid}`, name: "Open the page" },
      { to: `/map?service=${service.uid}`, name: "Map of this service" },
      { to: `/services/${service.uid}/structure`, name: "Structure" },
    ],
    lists: [
      list(
        "Unwell members",
        unwell.map((row) => ({
          show: `c${row.id}`,
          name: row.name,
          detail: at.health.get(row.id)?.reason ?? "",
          severity: at.health.get(row.id)?.severity ?? "cleared",
        })),
      ),
      list("Relies on", relied.map(link)),
      list("Relied on by", relying.map(link)),
    ],
    changes: changesOf(
      at.db,
      members.map((row) => row.id),
      at.fromMs,
      at.atMs,
      MOST_CHANGES,
    ),
    componentId: null,
  };
}

function groupPanel(at: At, show: string, group: Group<Thing>): MapPanel {
  const { members, unwell, worst, of } = tally(group.members);
  const kinds = new Map<string, number>();
  for (const one of group.members) kinds.set(one.kind, (kinds.get(one.kind) ?? 0) + 1);
  const byHealth = [...group.members].sort(
    (a, b) => severityRank(b.severity) - severityRank(a.severity) || a.name.localeCompare(b.name),
  );
  const sick = byHealth.filter((one) => one.severity !== "cleared");
  const link = (one: Thing): PanelLink => ({
    show: one.id,
    name: one.sub ? `${one.name} · ${one.sub}` : one.name,
    detail: one.reason || kindInfo(one.kind).label,
    severity: one.severity,
  });
  return {
    show,
    what: "group",
    kind: kinds.size === 1 ? (group.members[0]?.kind ?? "") : "",
    name: group.label,
    sentence: `${members.toLocaleString("en-GB")} components, ${unwell ? `${unwell} unwell (${tallyText(of)})` : "all well"}.`,
    severity: worst,
    figures: (kinds.size > 1 ? [...kinds] : [])
      .sort(([, a], [, b]) => b - a)
      .slice(0, 6)
      .map(([kind, count]) => ({ name: kindInfo(kind).plural, text: count.toLocaleString("en-GB") })),
    links: [],
    lists: [list("Unwell", sick.map(link)), ...(sick.length ? [] : [list("Members", byHealth.map(link))])],
    changes: changesOf(
      at.db,
      group.members.flatMap((one) => one.row?.id ?? []),
      at.fromMs,
      at.atMs,
      MOST_CHANGES,
    ),
    componentId: null,
  };
}

interface AskedRelation {
  show: string;
  type: string;
  from: string;
  to: string;
}

function relationPanel(
  at: At,
  { show, type, from, to }: AskedRelation,
  links: ReturnType<typeof linksAmong>,
  visible: readonly Visible<Thing>[],
): MapPanel | null {
  const endOf = (id: string): { name: string; ids: Set<string>; thing?: Thing } | undefined => {
    const group = groupOf(visible, id);
    if (group) return { name: group.label, ids: new Set(group.members.map((one) => one.id)) };
    const row = /^c\d+$/.test(id) ? componentById(at.db, Number(id.slice(1))) : undefined;
    const service = at.services.find((one) => `s${one.id}` === id);
    const name = row?.name ?? service?.name;
    return name === undefined ? undefined : { name, ids: new Set([id]) };
  };
  const [source, target] = [endOf(from), endOf(to)];
  if (!source || !target) return null;
  const componentsOf = (ids: Iterable<string>) =>
    [...ids].flatMap((id) => (id.startsWith("c") ? [Number(id.slice(1))] : []));
  const onMap = links.filter((link) => link.type === type && source.ids.has(link.from) && target.ids.has(link.to));
  const kept = relationsOf(at.db, componentsOf(source.ids), at.atMs).filter(
    (relation) =>
      relation.type === type && source.ids.has(`c${relation.from_id}`) && target.ids.has(`c${relation.to_id}`),
  );
  // A panel leads beyond what the map is of.
  const own = onMap.length ? onMap : linksAmong(at, { components: [], services: [], relations: kept });
  const rows = new Map(
    componentsById(at.db, new Set(own.flatMap((link) => componentsOf([link.from, link.to])))).map((row) => [
      `c${row.id}`,
      row,
    ]),
  );
  const figures =
    type === "wired-to" && kept.length === 1 && kept[0]
      ? wireFigures(at, kept[0])
      : type !== "talks-to"
        ? []
        : own.length === 1
          ? callsOfOne(at, own[0] as Own, componentsOf)
          : callsOver(at, own, componentsOf);
  return {
    show,
    what: "relation",
    kind: "",
    name: `${source.name} ${verbOf(type)} ${target.name}`,
    sentence: `${own.length === 1 ? "One relation" : `${own.length.toLocaleString("en-GB")} relations`}${figures.length ? "" : type === "talks-to" ? "; no spans tell how its calls do" : ""}.`,
    severity: "cleared",
    figures,
    links: own.length === 1 ? kept.slice(0, MOST_KEPT).flatMap((one) => linksOf(one, kept.length > 1)) : [],
    lists: [
      list("Ends", [
        { show: from, name: source.name, detail: "from" },
        { show: to, name: target.name, detail: "to" },
      ]),
      ...(own.length > 1
        ? [
            list(
              "Relations",
              [...own]
                .sort((a, b) => (b.calls ?? 0) - (a.calls ?? 0) || b.connections - a.connections)
                .map((link) => ({
                  show: `r~${type}~${link.from}~${link.to}`,
                  name: `${rows.get(link.from)?.name ?? source.name} → ${rows.get(link.to)?.name ?? target.name}`,
                  detail: link.calls
                    ? callsText({ calls: link.calls, failed: link.failed ?? 0 })
                    : `${link.connections} ${link.connections === 1 ? "connection" : "connections"}`,
                })),
            ),
          ]
        : []),
    ],
    changes: [],
    componentId: null,
  };
}

/** One pair may be joined over several ports; each of those has a page. */
const linksOf = ({ id, detail }: RelationRow, isOneOfMany: boolean): MapPanel["links"] => [
  { to: `/relations/${id}`, name: isOneOfMany ? `Open the page of ${detail || "the connection"}` : "Open the page" },
  ...(isOneOfMany ? [] : [{ to: `/map/what-if?fail=r${id}`, name: "What if it failed" }]),
];

/** What goes over one wire. */
const wireFigures = ({ db, atMs }: At, relation: RelationRow): MapPanel["figures"] =>
  wireOf(db, relation, { fromMs: atMs - FRESH_MS, toMs: atMs, atMs }).flatMap(({ chart, last }) =>
    last === null ? [] : [{ name: metricName(chart.metric), text: formatValue(last, chart.unit) }],
  );

type Own = ReturnType<typeof linksAmong>[number];

/** The same of one relation, from the caller's side where the called one sends no spans. */
function callsOfOne(at: At, { from, to }: Own, componentsOf: (ids: Iterable<string>) => number[]): MapPanel["figures"] {
  const [caller, called] = [componentsOf([from])[0], componentsOf([to])[0]];
  const row = called === undefined ? undefined : componentById(at.db, called);
  if (caller === undefined || !row) return [];
  const ends = { callers: resourcesOf(at.db, caller), called: resourcesOf(at.db, row.id), to: row };
  const measured = callsIn(at.db, ends, at.fromMs, at.atMs);
  if (!measured) return [];
  const { perMinute, calls, failed, p50Ms, p95Ms } = measured.figures;
  return [
    {
      name: measured.side === "caller" ? "Calls a minute, by the caller" : "Calls a minute",
      text: formatValue(perMinute, "1"),
    },
    { name: "Failed", text: formatValue((failed / calls) * 100, "%") },
    { name: "Response p50", text: formatValue(p50Ms, "ms") },
    { name: "Response p95", text: formatValue(p95Ms, "ms") },
  ];
}

/** Calls, failures and response times over some relations. */
function callsOver(
  at: At,
  own: ReturnType<typeof linksAmong>,
  componentsOf: (ids: Iterable<string>) => number[],
): MapPanel["figures"] {
  const sendersOf = (ids: readonly number[]) => [...resourcesOfAll(at.db, ids).keys()];
  const known = own.filter((link) => link.calls);
  const pairs = known.slice(0, 200);
  let sum: ReturnType<typeof callFigures>;
  for (const link of pairs) {
    const one = callFigures(
      at.db,
      sendersOf(componentsOf([link.from])),
      sendersOf(componentsOf([link.to])),
      at.fromMs,
      at.atMs,
    );
    if (!one) continue;
    if (sum) {
      sum.calls += one.calls;
      sum.failed += one.failed;
      sum.sumUs += one.sumUs;
      sum.sketch.merge(one.sketch);
    } else sum = one;
  }
  if (!sum) return [];
  const minutes = Math.max(1, (at.atMs - at.fromMs) / MINUTE_MS);
  const time = (q: number) => formatValue((sum?.sketch.quantile(q) ?? 0) / 1000, "ms");
  return [
    { name: "Calls a minute", text: formatValue(sum.calls / minutes, "1") },
    { name: "Failed", text: formatValue((sum.failed / sum.calls) * 100, "%") },
    { name: "Response p50", text: time(0.5) },
    { name: "Response p95", text: time(0.95) },
  ];
}
