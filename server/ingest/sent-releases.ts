import { SentVersions, type Released } from "#core/changes/sent-versions";
import { factInWords } from "#core/estate/fact-changes";
import { datedBack, insertChange } from "../store/changes";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { factsAt, writeFact } from "../store/facts";
import type { KnownResource } from "./senders";

const VERSION = "version";
const BY = "its own signals";

type Sender = Pick<KnownResource, "componentId" | "attributes" | "touchedMs">;

const keyOf = ({ componentId, attributes }: Sender) => `${componentId} ${String(attributes["service.name"] ?? "")}`;

function versionOf({ attributes }: Sender): string | undefined {
  const version = attributes["service.version"];
  return typeof version === "string" && version !== "" ? version.slice(0, 200) : undefined;
}

/** Tells of a release as soon as its own signals do; where a sweep has told already, or tells later, it is one change. */
export class SentReleases {
  private readonly versions = new SentVersions();

  /** @param senders of an earlier time, so that what changed meanwhile is noticed */
  constructor(
    private readonly db: Db,
    senders: Iterable<Sender>,
  ) {
    const known = new Set<string>();
    // The one that was heard last is what runs.
    for (const one of [...senders].sort((a, b) => b.touchedMs - a.touchedMs)) {
      const version = versionOf(one);
      if (version === undefined || one.componentId === null || known.has(keyOf(one))) continue;
      known.add(keyOf(one));
      this.versions.heard(keyOf(one), version, one.touchedMs);
    }
  }

  /** Call inside a transaction. */
  heard(sender: Sender, nowMs: number): void {
    const version = versionOf(sender);
    if (version === undefined || sender.componentId === null) return;
    const released = this.versions.heard(keyOf(sender), version, nowMs);
    if (released) this.tell(sender.componentId, version, released, nowMs);
  }

  settle(): void {
    this.versions.settle();
  }

  /** After a transaction that failed. */
  abandon(): void {
    this.versions.abandon();
  }

  private tell(componentId: number, after: string, { before, sinceMs }: Released, nowMs: number): void {
    const component = componentById(this.db, componentId);
    if (!component || component.valid_to !== null) return;
    const said = factsAt(this.db, componentId, nowMs).find((one) => one.name === VERSION);
    const words = factInWords({ fact: VERSION, before, after });
    // A sweep was quicker to tell; what was heard may still be the earlier evidence.
    if (said?.value === after) return datedBack(this.db, componentId, words, sinceMs);
    if (said === undefined || said.value === before)
      writeFact(this.db, componentId, VERSION, after, Math.max(sinceMs, said?.valid_from ?? 0), BY);
    const summary = `${component.name}: ${words}`;
    insertChange(this.db, { atMs: sinceMs, kind: "setting", componentId, summary, by: BY });
  }
}
