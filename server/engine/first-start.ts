import { readClock, type ClockSetting } from "#core/time/clock";
import { HOUR_MS } from "#core/time/windows";
import type { Demonstration } from "../demo/demonstration";
import { takeCredentials, takeDemoPeople, takeSetup } from "../kits/setup-file";
import { takeTelling } from "../kits/setup-telling";
import type { Settings } from "../settings";
import { deleteMeta, readMeta, unforced, writeMeta, type Db } from "../store/database";
import type { Vault } from "../vault/vault";

/** Of the past, evidence is looked for in so much. */
const EVIDENCE_MS = 36 * HOUR_MS;

export interface FirstStartParts {
  db: Db;
  settings: Settings;
  now: () => number;
  vault: Vault;
  demonstration: Demonstration | undefined;
  clock: () => ClockSetting;
  setClock: (setting: ClockSetting) => Promise<void>;
  /** What living through a past takes. */
  past: () => Parameters<Demonstration["liveThroughPast"]>[0];
  /** The past is over: the estate as it is now is taken up. */
  onPresent: () => void;
}

/** The first start of a store: its set-up file, and for the demonstration its past. */
export class FirstStart {
  private inPast = false;
  private pastEndsAtMs = 0;

  constructor(private readonly parts: FirstStartParts) {}

  /** History is being lived through: no page is open yet. */
  isInPast = (): boolean => this.inPast;

  /** Whether evidence of an instant is looked for: of a long past only towards its end. */
  looksForEvidence(atMs: number): boolean {
    return !this.inPast || atMs >= this.pastEndsAtMs - EVIDENCE_MS;
  }

  /**
   * Prepares a new store: takes the set-up file in and, for the demonstration, lives through its past in fast motion:
   * real sweeps with the stand-ins' clock turned back, then every poll through ingest and engine.
   */
  async prepare(onProgress: (text: string) => void): Promise<void> {
    const { db, settings, now, vault, demonstration, setClock } = this.parts;
    if (demonstration && settings.setup) {
      takeDemoPeople(db, settings.setup, now());
      // A store of the version before has sources, but none of the credentials that runbooks go with.
      if (readMeta(db, "prepared")) takeCredentials(db, settings.setup, vault, now());
    }
    if (readMeta(db, "prepared")) return this.takeTelling();
    writeMeta(db, "preparing", "1");
    const presentMs = now();
    const live = this.parts.clock();
    const fromMs = presentMs - (demonstration ? settings.historyMs : 0);
    if (fromMs < presentMs) await setClock({ baseMs: fromMs, machineMs: Date.now(), pace: 1 });
    if (settings.setup) takeSetup(db, settings.setup, vault, now());
    if (demonstration && fromMs < presentMs) {
      this.inPast = true;
      this.pastEndsAtMs = presentMs;
      await unforced(db, () => demonstration.liveThroughPast(this.parts.past(), fromMs, presentMs, onProgress));
      this.inPast = false;
      await setClock({ ...live, baseMs: readClock(live, Date.now()), machineMs: Date.now() });
      this.parts.onPresent();
    }
    db.transaction(() => {
      writeMeta(db, "prepared", String(presentMs));
      deleteMeta(db, "preparing");
    })();
    this.takeTelling();
  }

  /** Who is told in a demonstration; after its past, of which nobody is told. */
  private takeTelling(): void {
    const { db, settings, demonstration, now } = this.parts;
    if (demonstration && settings.setup) takeTelling(db, settings.setup, now());
  }
}
