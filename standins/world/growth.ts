import type { Layout, Machine } from "./layout";
import type { State } from "./state";

/** Totals as if everything had gone on as usual since the base. */
export function startCounters(layout: Layout, state: State, baseMs: number): void {
  const seconds = (state.atMs - baseMs) / 1000;
  for (const one of layout.machines) {
    const level = one.rhythm.total(state.atMs) - one.rhythm.total(baseMs);
    const bytes = (one.role.trafficMbps * 1e6 * (0.05 * seconds + 0.85 * level)) / 8;
    state.machine.inBytes[one.index] = bytes;
    state.machine.outBytes[one.index] = bytes * 0.8;
    state.machine.coreSeconds[one.index] = seconds * 0.05 * one.role.cores;
    state.machine.errors[one.index] = Math.floor(seconds / 21_600);
  }
  for (const one of layout.links) state.link.bytes[one.index] = seconds * 2000;
}

/**
 * Has everything that is counted grow by the rates of a state: requests, processor time, bytes, messages, rows.
 *
 * @param isFirst whether nothing was lived before, so that what follows slowly begins where it is
 */
export function grow(layout: Layout, state: State, seconds: number, isFirst: boolean): void {
  const { operation, link, queue, load, job } = state;
  growStations(layout, state, seconds);
  growMachines(layout, state, seconds);
  for (let index = 0; index < layout.links.length; index++) {
    const bytes = ((link.bytesPerSecond[index] as number) + 2000) * seconds;
    link.bytes[index] = (link.bytes[index] as number) + bytes;
    link.errors[index] = (link.errors[index] as number) + (bytes * (link.loss[index] as number)) / 1500;
  }
  for (let index = 0; index < layout.ways.length; index++)
    if (state.way.keptPerSecond[index])
      state.way.kept[index] = Math.max(
        0,
        (state.way.kept[index] as number) + (state.way.keptPerSecond[index] as number) * seconds,
      );
  for (const one of layout.queues) {
    const { index } = one;
    let taken = 0;
    for (const each of one.consumers) taken += operation.finished[each.index] as number;
    const came = (queue.inPerSecond[index] as number) * seconds;
    queue.cameIn[index] = (queue.cameIn[index] as number) + came;
    queue.takenUp[index] = (queue.takenUp[index] as number) + taken * seconds;
    queue.depth[index] = Math.max(0, (queue.depth[index] as number) + came - taken * seconds);
  }
  for (const one of layout.loads) {
    const { index } = one;
    load.succeeded[index] =
      (load.succeeded[index] as number) +
      (load.wanted[index] as number) * (1 - (load.failing[index] as number) ** (one.spec.retries + 1)) * seconds;
  }
  for (const one of layout.jobs) {
    const { index } = one;
    if (!(job.rowsLeft[index] as number)) continue;
    job.rowsLeft[index] = Math.max(0, (job.rowsLeft[index] as number) - (job.rowsPerSecond[index] as number) * seconds);
    if (!job.rowsLeft[index]) job.endedAtMs[index] = state.atMs + seconds * 1000;
  }
  growFigures(layout, state, seconds, isFirst);
}

function growStations(layout: Layout, { operation, station }: State, seconds: number): void {
  for (const one of layout.stations) {
    const { index } = one;
    station.coreSeconds[index] =
      (station.coreSeconds[index] as number) +
      ((station.cores[index] as number) + (station.running[index] ? (station.spinCores[index] as number) : 0)) *
        seconds;
    const accepted = (station.arrivals[index] as number) * (1 - (station.refused[index] as number));
    station.backlog[index] = Math.max(
      0,
      (station.backlog[index] as number) + (accepted - (station.finished[index] as number)) * seconds,
    );
    if ((station.backlog[index] as number) < 1e-6) station.backlog[index] = 0;
    for (const each of one.operations) {
      const at = each.index;
      const done = (operation.finished[at] as number) * seconds;
      const failed = done * (operation.failing[at] as number);
      const came = (operation.arrivals[at] as number) * seconds;
      operation.cameIn[at] = (operation.cameIn[at] as number) + came;
      operation.answered[at] = (operation.answered[at] as number) + done - failed;
      operation.failed[at] = (operation.failed[at] as number) + failed;
      operation.turnedAway[at] = (operation.turnedAway[at] as number) + came * (station.refused[index] as number);
    }
  }
}

function growMachines(layout: Layout, state: State, seconds: number): void {
  const { machine, link } = state;
  for (let index = 0; index < layout.machines.length; index++) {
    machine.coreSeconds[index] = (machine.coreSeconds[index] as number) + (machine.cores[index] as number) * seconds;
    const one = layout.machines[index] as Machine;
    machine.inBytes[index] = (machine.inBytes[index] as number) + (machine.inBytesPerSecond[index] as number) * seconds;
    machine.outBytes[index] =
      (machine.outBytes[index] as number) + (machine.outBytesPerSecond[index] as number) * seconds;
    const lost = one.link ? (link.loss[one.link.index] as number) : 0;
    machine.errors[index] =
      (machine.errors[index] as number) +
      seconds / 21_600 +
      (lost * (machine.inBytesPerSecond[index] as number) * seconds) / 1500;
  }
}

function growFigures(layout: Layout, { operation, figure }: State, seconds: number, isFirst: boolean): void {
  for (const one of layout.figures) {
    let [rate, response, calls] = [0, 0, 0];
    for (const each of one.operations) {
      const done = operation.finished[each.index] as number;
      rate += done * (1 - (operation.failing[each.index] as number));
      response += done * (operation.responseSeconds[each.index] as number);
      calls += done;
    }
    const share = 1 - Math.exp(-seconds / ((one.spec.counts?.minutes ?? 5) * 60 * 0.4));
    const { index } = one;
    // The first look has nothing before it.
    const before = figure.perSecond[index] as number;
    figure.perSecond[index] = before === 0 && isFirst ? rate : before + (rate - before) * share;
    figure.response[index] = calls > 0 ? response / calls : 0;
  }
}
