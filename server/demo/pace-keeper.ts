import { eased, type Ease } from "#core/time/ease";
import type { HoldUps } from "../polling/hold-ups";

const BEAT_EVERY_MS = 250;
const LOOK_EVERY_MS = 1000;

export interface PaceKeeperParts {
  holdUps: HoldUps;
  /** Asks the stand-ins for something that they answer at once. */
  beat: () => Promise<void>;
  /** The clock's present pace. */
  pace: () => number;
  set: (pace: number) => Promise<void>;
}

/**
 * Keeps the demonstration's clock from outrunning a busy machine: stand-ins that get no time would look like hosts that
 * do not answer. It goes as fast as was asked for while everything keeps up, and slower while it does not.
 */
export class PaceKeeper {
  private wanted: number;
  private state: Ease;
  private timers: NodeJS.Timeout[] = [];
  private setting = false;
  private beating = false;

  constructor(private readonly parts: PaceKeeperParts) {
    this.wanted = parts.pace();
    this.state = { pace: this.wanted, calmSinceMs: performance.now() };
  }

  start(): void {
    this.timers = [
      setInterval(() => void this.beat(), BEAT_EVERY_MS),
      setInterval(() => void this.look(), LOOK_EVERY_MS),
    ];
    for (const timer of this.timers) timer.unref();
  }

  stop(): void {
    for (const timer of this.timers) clearInterval(timer);
  }

  /** What people ask for from now on. */
  want(pace: number): void {
    this.wanted = pace;
    this.state = { pace, calmSinceMs: performance.now() };
  }

  /** The pace that was asked for; the clock may go slower at present. */
  asked(): number {
    return this.wanted;
  }

  /** One at a time: stand-ins that hang are not asked again and again. */
  private async beat(): Promise<void> {
    if (this.beating) return;
    this.beating = true;
    await this.parts.holdUps.around(this.parts.beat);
    this.beating = false;
  }

  private async look(): Promise<void> {
    if (this.setting) return;
    const at = performance.now();
    this.state = eased(this.state, this.wanted, this.parts.holdUps.longestSince(at - LOOK_EVERY_MS), at);
    if (this.state.pace === this.parts.pace()) return;
    this.setting = true;
    await this.parts.set(this.state.pace).catch(() => undefined);
    this.setting = false;
  }
}
