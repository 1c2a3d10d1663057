import { isHostLike } from "#core/catalogue/kinds";
import { TOLD } from "#core/estate/labels";
import { inSpans } from "#core/estate/ranges";
import { DAY_MS, MINUTE_MS } from "#core/time/windows";
import { scheduleInWords } from "#core/time/schedule";
import { driverOf } from "../sources/registry";
import type { Db } from "../store/database";
import { currentComponents, inventoryAt, retiredHosts, type ComponentRow } from "../store/estate";
import { factValues } from "../store/facts";
import { namedProducts } from "../store/fingerprints";
import { unwatched as unwatchedNow } from "../store/labels";
import { sightingsOfHosts } from "../store/sightings";
import { lastSweepOf, listFindings, listSources, type SourceRow, type SweepRow } from "../store/sources";

/** A gap in what is known or watched. */
export interface Gap {
  componentId: number | null;
  what: string;
  /** What is missing because of it, or what was answered. */
  detail: string;
  /** What mends it, with where to do it. */
  step: { text: string; to: string } | null;
}

export interface GapGroup {
  id: string;
  title: string;
  /** What this sort of gap means. */
  about: string;
  gaps: Gap[];
  total: number;
}

const MOST_SHOWN = 100;
/** Polls that may fail before a host counts as silent, and the least time. */
const SILENT_POLLS = 3;
const SILENT_MS = 15 * MINUTE_MS;
const GONE_MS = 30 * DAY_MS;

interface Known {
  db: Db;
  atMs: number;
  sources: SourceRow[];
  hosts: ComponentRow[];
  parts: ComponentRow[];
  lastSweeps: Map<number, SweepRow>;
}

const bySsh = { text: "Read it over SSH", to: "/discover/sources/new?type=ssh" };
const editOf = (source: SourceRow | undefined) =>
  source ? { text: `Edit ${source.name}`, to: `/discover/sources/${source.id}` } : null;

/** Where what is known has holes, with the step that mends each. */
export function coveragePage(db: Db, { atMs }: { atMs: number }) {
  const components = currentComponents(db);
  const sources = listSources(db);
  const known: Known = {
    db,
    atMs,
    sources,
    hosts: components.filter((one) => one.host_id === null && isHostLike(one.kind)),
    parts: components.filter((one) => one.host_id !== null),
    lastSweeps: new Map(sources.flatMap((one) => lastSweepOf(db, one.id) ?? []).map((one) => [one.source_id, one])),
  };
  const group = (id: string, title: string, about: string, gaps: Gap[]): GapGroup => ({
    id,
    title,
    about,
    total: gaps.length,
    gaps: gaps.slice(0, MOST_SHOWN),
  });
  return {
    groups: [
      group(
        "refused",
        "Reached but refused",
        "Something answers there, but does not let itself be read.",
        refused(known),
      ),
      group("half", "Half read", "The system is read, but not all of it.", halfRead(known)),
      group(
        "unwatched",
        "Found but not watched",
        "Known from outside only: nothing is measured there.",
        unwatched(known),
      ),
      group("listed", "Listed, but seen by nobody", "A list says that they ought to be there.", listed(known)),
      group("unlisted", "Seen, but on no list", "No list names them.", unlisted(known)),
      group("off", "Not watched by somebody's word", "A collection keeps them from being watched.", off(known)),
      group("silent", "Watched but silent", "It was measured, and gives no answer now.", silent(known)),
      group(
        "one-sided",
        "Not seen by a source that ought to",
        "Its address is among those that the source looks at.",
        oneSided(known),
      ),
      group("names", "Names without a host", "DNS has a name for an address where nobody is known.", names(known)),
      group("peers", "Peers that nobody knows", "Something known talks to them.", peers(known)),
      group(
        "unnamed",
        "Products that nobody named",
        "They listen or answer, and no fingerprint knows them.",
        unnamed(known),
      ),
      group(
        "idle",
        "Sources that do not sweep by themselves",
        "What appears in them is found only when somebody looks.",
        idle(known),
      ),
      group("gone", "Addresses that answered before", "They left the estate in the last 30 days.", gone(known)),
    ],
    named: namedProducts(db),
  };
}

function refused({ db, lastSweeps, sources, hosts }: Known): Gap[] {
  const at = new Map(hosts.map((host) => [host.address, host]));
  return [...lastSweeps.values()].flatMap((sweep) =>
    listFindings(db, sweep.id, "failed", MOST_SHOWN, 0).map((one) => ({
      componentId: at.get(one.address)?.id ?? null,
      what: at.get(one.address)?.name ?? one.address,
      detail: `${sweep.source}: ${one.detail}`,
      step: editOf(sources.find((source) => source.id === sweep.source_id)),
    })),
  );
}

function halfRead({ db, hosts, atMs }: Known): Gap[] {
  return hosts.flatMap((host): Gap[] => {
    if (host.depth !== 2 || (host.read_by !== "snmp" && host.read_by !== "ssh") || !host.kind.startsWith("host."))
      return [];
    const tables = inventoryAt(db, host.id, atMs);
    if (!tables || tables.hypervisor) return [];
    const { listeners, connections, software } = tables;
    const ownerless = listeners.filter((one) => one.pid === 0).length;
    const agent = host.read_by === "snmp" ? "Its SNMP agent" : "The user that signs in";
    const missing =
      listeners.length + software.length === 0
        ? `${agent} shows the system group only: no processes, no listeners, no connections.`
        : ownerless
          ? `${agent} does not show whose ${ownerless} of ${listeners.length} listeners and ${connections.filter((one) => one.pid === 0).length} connections are: processes and who talks to whom are known by host only.`
          : undefined;
    if (!missing) return [];
    const mend =
      host.read_by === "snmp"
        ? " Let it run as root with the whole tree in its view, or read the host over SSH."
        : " Let it use sudo for ss, or sign in as root.";
    return [
      { componentId: host.id, what: host.name, detail: missing + mend, step: host.read_by === "snmp" ? bySsh : null },
    ];
  });
}

function unwatched({ hosts, sources }: Known): Gap[] {
  return hosts
    .filter((one) => one.depth === 0 && one.read_by !== TOLD)
    .map((one) => ({
      componentId: one.id,
      what: one.name,
      detail: one.reason,
      step: editOf(sources.find((source) => source.id === one.source_id)) ?? bySsh,
    }));
}

function off({ db, hosts }: Known): Gap[] {
  const by = unwatchedNow(db);
  return hosts.flatMap((one) =>
    by.has(one.id)
      ? [
          {
            componentId: one.id,
            what: one.name,
            detail: `The ${by.get(one.id)} says so.`,
            step: { text: "Look at collections", to: "/estate" },
          },
        ]
      : [],
  );
}

function silent({ db, hosts, sources, atMs }: Known): Gap[] {
  const every = new Map(sources.map((one) => [one.id, (one.pollSeconds ?? 300) * 1000]));
  const off = unwatchedNow(db);
  return hosts.flatMap((one) => {
    if (one.depth < 2 || one.source_id === null || off.has(one.id)) return [];
    const patience = Math.max(SILENT_MS, SILENT_POLLS * (every.get(one.source_id) ?? 0));
    const minutes = Math.round((atMs - one.last_seen_at) / MINUTE_MS);
    return atMs - one.last_seen_at > patience
      ? [
          {
            componentId: one.id,
            what: one.name,
            detail: `Seen last ${minutes} minutes ago.`,
            step: { text: "Look at it", to: `/estate/${one.id}` },
          },
        ]
      : [];
  });
}

function oneSided({ db, hosts, sources, lastSweeps }: Known): Gap[] {
  const seen = new Map(sightingsOfHosts(db).map((one) => [`${one.component_id} ${one.source_id}`, one.last_at]));
  return sources.flatMap((source) => {
    const sweep = lastSweeps.get(source.id);
    if (!sweep || sweep.state !== "done") return [];
    const spans = (driverOf(source.kind).listings?.(source.settings) ?? []).flatMap((one) =>
      one.what === "addresses" ? one.spans : [],
    );
    const answered = new Set(listFindings(db, sweep.id, "failed", MOST_SHOWN, 0).map((one) => one.address));
    return hosts.flatMap((host): Gap[] => {
      if (
        !host.address ||
        host.read_by === TOLD ||
        answered.has(host.address) ||
        host.valid_from > sweep.started_at ||
        !inSpans(host.address, spans)
      )
        return [];
      const last = seen.get(`${host.id} ${source.id}`);
      if (host.source_id === source.id || (last !== undefined && last >= sweep.started_at)) return [];
      return [
        {
          componentId: host.id,
          what: host.name,
          detail: `${source.name} (${driverOf(source.kind).label}) did not see it in its last sweep.`,
          step: editOf(source),
        },
      ];
    });
  });
}

/** Hosts that only a list tells of. */
const listed = ({ hosts, sources }: Known): Gap[] =>
  hosts.flatMap((one) =>
    one.read_by === TOLD
      ? [
          {
            componentId: one.id,
            what: one.name,
            detail: `${sources.find((source) => source.id === one.source_id)?.name ?? "A list"} names it${one.address ? ` at ${one.address}` : " without an address"}. Add a source that looks there, or take it off the list.`,
            step: { text: "Add a source", to: "/discover/sources/new" },
          },
        ]
      : [],
  );

/** Where lists are kept, hosts of their sites that none of them names. */
function unlisted({ db, hosts, sources }: Known): Gap[] {
  const lists = new Set(sources.flatMap((one) => (one.kind === "list" ? [one.id] : [])));
  if (lists.size === 0) return [];
  const named = new Set(sightingsOfHosts(db).flatMap((one) => (lists.has(one.source_id) ? [one.component_id] : [])));
  const sites = new Set(hosts.flatMap((one) => (named.has(one.id) ? [one.site] : [])));
  return hosts.flatMap((one) =>
    named.has(one.id) || !sites.has(one.site)
      ? []
      : [
          {
            componentId: one.id,
            what: one.name,
            detail: `${sources.find((source) => source.id === one.source_id)?.name ?? "Somebody"} found it${one.address ? ` at ${one.address}` : ""}.`,
            step: { text: "Look at it", to: `/estate/${one.id}` },
          },
        ],
  );
}

const isDns = ({ sources }: Known, sourceId: number) => sources.find((one) => one.id === sourceId)?.kind === "dns";

const names = (known: Known): Gap[] =>
  [...known.lastSweeps.values()].flatMap((sweep) =>
    isDns(known, sweep.source_id)
      ? listFindings(known.db, sweep.id, "unmatched", MOST_SHOWN, 0).map((one) => ({
          componentId: null,
          what: one.title,
          detail: one.detail,
          step: { text: "Add a source", to: "/discover/sources/new" },
        }))
      : [],
  );

function peers(known: Known): Gap[] {
  const { db, lastSweeps } = known;
  const byAddress = new Map<string, Gap>();
  for (const sweep of [...lastSweeps.values()].filter((one) => !isDns(known, one.source_id)))
    for (const one of listFindings(db, sweep.id, "unmatched", MOST_SHOWN, 0))
      byAddress.set(`${one.address} ${one.title}`, {
        componentId: one.component_id,
        what: one.title,
        detail: one.detail,
        step: { text: "Add a source", to: "/discover/sources/new" },
      });
  return [...byAddress.values()];
}

function unnamed({ db, parts }: Known): Gap[] {
  const products = factValues(db, "product");
  const shows = ["banner", "answers as", "page", "process"].map((name) => [name, factValues(db, name)] as const);
  const gaps = parts.flatMap((one) => {
    if (products.has(one.id) || one.kind === "app.container") return [];
    const says = shows.flatMap(([name, values]) => (values.has(one.id) ? [`${name} “${values.get(one.id)}”`] : []));
    const step = { text: "Name it", to: `/discover/coverage?name=${one.id}` };
    return says.length
      ? [{ componentId: one.id, what: one.name, detail: says.join("; "), step, says: says.length }]
      : [];
  });
  // What shows most is easiest to name.
  return gaps.sort((a, b) => b.says - a.says || a.what.localeCompare(b.what)).map(({ says: _says, ...gap }) => gap);
}

const idle = ({ sources }: Known): Gap[] =>
  sources.flatMap((one) =>
    driverOf(one.kind).discover && scheduleInWords(one.sweeps) === "never"
      ? [{ componentId: null, what: one.name, detail: "No sweep of it starts by itself.", step: editOf(one) }]
      : [],
  );

const gone = ({ db, atMs }: Known): Gap[] =>
  retiredHosts(db, atMs - GONE_MS).map((one) => ({
    componentId: one.id,
    what: `${one.name}${one.address ? ` (${one.address})` : ""}`,
    detail: `It was there from ${new Date(one.valid_from).toISOString().slice(0, 16).replace("T", " ")} to ${new Date(one.valid_to ?? 0).toISOString().slice(0, 16).replace("T", " ")} UTC.`,
    step: null,
  }));

/** What a part shows that it could be named by. */
export function namingPage(db: Db, { id }: { id: number }) {
  const component = currentComponents(db).find((one) => one.id === id);
  if (!component) return null;
  const clues = (
    [
      ["process", "process"],
      ["banner", "banner"],
      ["answers as", "server"],
      ["page", "title"],
    ] as const
  ).flatMap(([fact, clue]) => {
    const words = factValues(db, fact).get(id);
    return words ? [{ clue, fact, words }] : [];
  });
  return { id, name: component.name, kind: component.kind, clues };
}
