import { systemOfReport, tablesOfReport, type AgentReport } from "#core/estate/agent-report";
import { NO_SITE } from "#core/estate/identity";
import type { HostTables } from "#core/estate/parts";
import type { IdentityKey, Look, Observation } from "#core/estate/observation";
import { recognise } from "#core/estate/recognise";
import type { SourceTools } from "../sources/driver";
import { storeProblem, type Db } from "../store/database";
import { StoredEstate } from "../store/known";
import { takeInLook } from "./take-in";

/** What comes within a moment is taken in together; more seldom where taking in takes long. Machine time. */
const TAKE_IN_MS = 1_000;
const MOST_WAITING = 2_000;

interface Waiting {
  report: AgentReport;
  /** Address it came from. */
  from: string;
  answer: (problem: string | undefined) => void;
}

export interface InventoryContext {
  db: Db;
  now: () => number;
  tools: () => SourceTools;
  /** The source that agents belong to, and how many more components they may make known. */
  source: (nowMs: number) => { id: number; room: number };
  /** Takes up who talks to whom on a known host. */
  talks: (hostId: number, tables: HostTables) => void;
  onEstate: (retired: readonly number[]) => void;
}

/** What agents say runs on their hosts, taken into the estate. */
export class AgentInventories {
  private waiting: Waiting[] = [];
  private timer: NodeJS.Timeout | undefined;
  private pauseMs = TAKE_IN_MS;

  constructor(private readonly context: InventoryContext) {}

  /** @returns a sentence where it was not taken */
  take(report: AgentReport, from: string): Promise<string | undefined> {
    if (report.tables) return Promise.resolve(this.note(report, report.tables));
    if (this.waiting.length >= MOST_WAITING) return Promise.resolve("Too much is waiting. Try again a little later.");
    return new Promise((answer) => {
      this.waiting.push({ report, from, answer });
      this.timer ??= setTimeout(() => this.takeIn(), this.pauseMs);
    });
  }

  stop(): void {
    clearTimeout(this.timer);
    for (const one of this.waiting.splice(0)) one.answer("The server is stopping. Try again a little later.");
  }

  private note(report: AgentReport, tables: NonNullable<AgentReport["tables"]>): string | undefined {
    const id = new StoredEstate(this.context.db).ofKey(`name:${report.hostName.toLowerCase()}`);
    if (id === undefined) return "This host is not known any more. Report all of it.";
    this.context.talks(id, tablesOfReport(tables));
    return undefined;
  }

  private takeIn(): void {
    this.timer = undefined;
    const { db, now, tools, source, onEstate } = this.context;
    const taken = this.waiting;
    this.waiting = [];
    const started = performance.now();
    let problem: string | undefined;
    try {
      const { id, room } = source(now());
      const { book } = tools();
      const bySite = new Map<string, Observation[]>();
      for (const one of taken) {
        const site = one.report.site || NO_SITE;
        bySite.set(site, [...(bySite.get(site) ?? []), ...observe(db, one, book)]);
      }
      for (const [site, observations] of bySite) {
        const look: Look = {
          observer: { sourceId: id, label: "an agent", site, modest: true },
          atMs: now(),
          sinceMs: now(),
          observations,
          mostNew: room,
        };
        onEstate(takeInLook(db, look, [{ what: "parts" }]).retired);
      }
    } catch (error) {
      problem = storeProblem(error);
      if (problem === undefined) throw error;
    } finally {
      for (const one of taken) one.answer(problem);
      this.pauseMs = Math.max(TAKE_IN_MS, 5 * (performance.now() - started));
    }
  }
}

/**
 * What a report shows. An agent's name is bound to its token; that its host is what is known by another name, or has the
 * address of such a host, is believed only as far as the report came from there.
 */
function observe(db: Db, { report, from }: Waiting, book: SourceTools["book"]): Observation[] {
  const { system: given, hostName } = report;
  if (!given) return [];
  const known = new StoredEstate(db);
  const own = `name:${hostName.toLowerCase()}`;
  const ownerOf = (key: string) => {
    const id = known.ofKey(key);
    const owner = id === undefined ? undefined : known.component(id);
    return owner?.keys.includes(own) ? undefined : owner;
  };
  const system = systemOfReport(hostName, given);
  const addresses = (system.addresses ?? []).filter((one) => one === from || !ownerOf(`addr:${one}`));
  const before = known.ofKey(own);
  const address = addresses.includes(from)
    ? from
    : (addresses.find((one) => !one.includes(":")) ??
      addresses[0] ??
      (before === undefined ? undefined : known.component(before)?.address) ??
      hostName);
  const recognised = recognise(
    { address, open: [], system: { ...system, addresses }, readBy: "agent", failures: [] },
    book,
  );
  if (!recognised) return [];
  const believed = ({ strength, value }: IdentityKey): boolean => {
    if (strength === 1) return true;
    const owner = ownerOf(value);
    return !owner || (from === address && owner.keys.includes(`addr:${from}`));
  };
  return [{ ...recognised.host, keys: recognised.host.keys.filter(believed) }, ...recognised.parts];
}
