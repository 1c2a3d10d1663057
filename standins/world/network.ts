import { wander } from "../rhythm";
import type { Layout, Link, Machine } from "./layout";
import type { Modifiers } from "./effects";
import type { State } from "./state";

/** Time that a lost packet costs until it is sent again (RFC 6298, the least wait of a sender). */
const RESEND_SECONDS = 0.2;
/** Packets that a request and its answer need, one after another. */
const PACKETS = 3;

/** Whether a machine was put in: another is known to nobody, and nobody calls it. */
export const isPutIn = (one: Machine, atMs: number, mods: Modifiers): boolean =>
  atMs >= one.sinceMs && (!one.spare || mods.putIn[one.index] === 1);

/** Octets a second that come to a machine beside its calls. */
function otherTraffic({ rhythm, role, seed }: Machine, atMs: number): number {
  const level = rhythm.level(atMs) * (1 + 0.25 * wander(seed + 31, atMs, 5 * 60_000));
  return (role.trafficMbps * 1e6 * (0.05 + 0.85 * Math.max(0, level))) / 8;
}

/** Which machines are on, and which lines carry. */
export function settlePower(layout: Layout, state: State, mods: Modifiers): void {
  const { machine, link } = state;
  for (const one of layout.machines) {
    const on =
      isPutIn(one, state.atMs, mods) &&
      !mods.off[one.index] &&
      (one.below === undefined || machine.up[one.below.index] === 1);
    if (on && !machine.up[one.index]) machine.bootedAtMs[one.index] = state.atMs;
    machine.up[one.index] = Number(on);
    machine.otherBytesPerSecond[one.index] = on ? otherTraffic(one, state.atMs) : 0;
  }
  for (const one of layout.links)
    link.up[one.index] = Number(
      !mods.linkCut[one.index] && machine.up[one.ends[0].index] === 1 && machine.up[one.ends[1].index] === 1,
    );
}

/** Loss and delay of every line from what it carries. */
export function settleLinks(layout: Layout, state: State, mods: Modifiers): void {
  const { link } = state;
  for (const one of layout.links) {
    const { index } = one;
    const capacity = (one.mbps * 1e6 * Math.max(0.001, mods.linkCapacity[index] as number)) / 8;
    const share = (link.bytesPerSecond[index] as number) / capacity;
    // What does not fit is dropped; what nearly fits waits (M/M/1 for packets of 1,500 octets).
    const dropped = share > 0.98 ? 1 - 0.98 / share : 0;
    link.loss[index] = 1 - (1 - (mods.linkLoss[index] as number)) * (1 - dropped);
    link.delaySeconds[index] =
      one.delaySeconds + (mods.linkDelay[index] as number) + 1500 / capacity / (1 - Math.min(0.98, share));
  }
}

/** What a way over several lines costs a request and its answer, and how often one of them never arrives. */
export function crossing(state: State, links: readonly Link[]): { seconds: number; failing: number } {
  let seconds = 0;
  let arrives = 1;
  for (const one of links) {
    if (!state.link.up[one.index]) return { seconds: 0, failing: 1 };
    seconds += 2 * (state.link.delaySeconds[one.index] as number);
    arrives *= 1 - (state.link.loss[one.index] as number);
  }
  const lost = Math.min(0.95, 1 - arrives ** 2);
  if (lost <= 0) return { seconds, failing: 0 };
  return { seconds: seconds + (PACKETS * RESEND_SECONDS * lost) / (1 - lost), failing: lost ** 4 };
}

export function carries(state: State, links: readonly Link[]): boolean {
  for (const link of links) if (!state.link.up[link.index]) return false;
  return true;
}

/** Whether a machine answers whoever looks from Holotaxis' place: it is on, and every line to it carries. */
export function isReached(state: State, machine: Machine): boolean {
  return state.machine.up[machine.index] === 1 && carries(state, machine.watched);
}

/** Whether a machine answers whoever looks from its own site. */
export function isReachedAtSite(state: State, machine: Machine): boolean {
  return state.machine.up[machine.index] === 1 && carries(state, machine.entrance);
}

/** Whether the lines from Holotaxis' place to the site of a machine carry. */
export function isSiteReached(state: State, machine: Machine): boolean {
  return carries(
    state,
    machine.watched.filter((link) => !machine.entrance.includes(link)),
  );
}
