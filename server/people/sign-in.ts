import { afterFailure, SLOW_DOWN, waitMs, type SlowDown, type Tries } from "#core/people/slow-down";
import type { WayIn } from "./way-in";
import { demoWay } from "./ways/demo";
import { passwordWay } from "./ways/password";

/** Every way of signing in. */
export const WAYS: readonly WayIn<unknown>[] = [passwordWay, demoWay] as readonly WayIn<unknown>[];

const MOST_KEPT = 10_000;

/** Failed tries, by account and by address; those that were quiet longest are forgotten first. */
export class Throttle {
  private readonly tries = new Map<string, Tries>();

  private static keys(account: string, address: string): [string, SlowDown][] {
    const name = account.toLowerCase();
    return [
      [`pair ${address} ${name}`, SLOW_DOWN.pair],
      [`account ${name}`, SLOW_DOWN.account],
      [`address ${address}`, SLOW_DOWN.address],
    ];
  }

  /** Milliseconds until a try is taken; 0 for now. */
  wait(account: string, address: string, nowMs: number): number {
    return Math.max(...Throttle.keys(account, address).map(([key, how]) => waitMs(this.tries.get(key), how, nowMs)));
  }

  failed(account: string, address: string, nowMs: number): void {
    for (const [key, how] of Throttle.keys(account, address)) {
      const next = afterFailure(this.tries.get(key), how, nowMs);
      this.tries.delete(key);
      this.tries.set(key, next);
    }
    while (this.tries.size > MOST_KEPT) this.tries.delete(this.tries.keys().next().value as string);
  }

  /** Who came in was not guessing: this try is taken back; the account and the address keep what others did. */
  succeeded(account: string, address: string): void {
    for (const [key] of Throttle.keys(account, address)) {
      const tries = this.tries.get(key);
      if (!tries || tries.failed <= 1 || key.startsWith("pair ")) this.tries.delete(key);
      else this.tries.set(key, { ...tries, failed: tries.failed - 1 });
    }
  }
}
