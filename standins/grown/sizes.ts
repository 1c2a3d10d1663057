import type { Chance } from "./chance";
import type { Draft, DraftOperation, DraftProcess } from "./estate";

/** Of what a process has at full rhythm: so many times what it needs. */
const WORKERS = 5;
const CONNECTIONS = 5;

/** Gives every role of an estate processors, workers, pools, limits of time and memory by what its loads ask of it at full rhythm. */
export function sized(draft: Draft, chance: Chance): void {
  const asked = askedOf(draft);
  for (const [id, role] of Object.entries(draft.roles)) {
    if (role.system !== "linux") continue;
    const hosts = Math.max(1, draft.hosts.filter((one) => one.role === id && !one.spare).length);
    let cores = 0;
    let memoryMiB = 400;
    for (const process of role.processes ?? []) {
      const operations = process.operations ?? [];
      const perSecond = (one: DraftOperation) => (asked.get(`${id} ${process.name} ${one.name}`) ?? 0) / hosts;
      cores += operations.reduce((sum, one) => sum + (perSecond(one) * (one.cpuMs ?? 1)) / 1000, 0);
      const busy = operations.reduce((sum, one) => sum + (perSecond(one) * responseMs(draft, one, process)) / 1000, 0);
      process.workers = Math.max(16, Math.ceil(busy * WORKERS));
      process.queue = process.workers * 10;
      memoryMiB += process.memoryMiB + process.workers * 2;
      for (const talk of process.talksTo ?? []) {
        const target = draft.roles[talk.role]?.processes?.find((one) => one.name === talk.process);
        const calls = operations.flatMap((one) =>
          (one.calls ?? []).filter((call) => call.to === talk.process).map((call) => ({ one, call })),
        );
        const times = calls.map(({ call }) => {
          const called = target?.operations?.find((each) => each.name === call.operation);
          return called && target ? responseMs(draft, called, target) : 0;
        });
        const under = calls.reduce(
          (sum, { one, call }, index) => sum + (perSecond(one) * (call.times ?? 1) * (times[index] ?? 0)) / 1000,
          0,
        );
        talk.connections = Math.min(200, Math.max(4, Math.ceil(under * CONNECTIONS)));
        talk.timeoutMs = Math.min(6000, Math.max(1000, Math.round(Math.max(...times, 0) / 5) * 100));
      }
    }
    role.cores = Math.max(2, Math.ceil(cores / (0.2 + 0.2 * chance.next())));
    role.memoryGiB = 2 ** Math.ceil(Math.log2((memoryMiB * 1.7) / 1024));
  }
}

/** Requests a second at full rhythm, over all hosts, of every operation by "role process operation". */
function askedOf(draft: Draft): Map<string, number> {
  const asked = new Map<string, number>();
  const ask = (role: string, process: string, operation: string, perSecond: number): void => {
    const key = `${role} ${process} ${operation}`;
    asked.set(key, (asked.get(key) ?? 0) + perSecond);
    const found = draft.roles[role]?.processes?.find((one) => one.name === process);
    for (const call of found?.operations?.find((one) => one.name === operation)?.calls ?? []) {
      const talk = found?.talksTo?.find((one) => one.process === call.to);
      if (talk) ask(talk.role, talk.process, call.operation, perSecond * (call.times ?? 1));
      const queue = draft.queues?.find((one) => one.name === call.queue);
      if (queue) ask(queue.consumer.role, queue.consumer.process, queue.consumer.operation, perSecond);
    }
  };
  for (const { to, perHour } of draft.loads ?? []) ask(to.role, to.process, to.operation, perHour[1] / 3600);
  return asked;
}

/** What an operation takes on idle machines, with what it waits for, in milliseconds. */
function responseMs(draft: Draft, operation: DraftOperation, process: DraftProcess): number {
  const own = (operation.cpuMs ?? 1) + (operation.diskMs ?? 0) + (operation.restMs ?? 0);
  return (operation.calls ?? []).reduce((sum, call) => {
    const talk = process.talksTo?.find((one) => one.process === call.to);
    const target = talk && draft.roles[talk.role]?.processes?.find((one) => one.name === talk.process);
    const called = target?.operations?.find((one) => one.name === call.operation);
    return called && target ? sum + (call.times ?? 1) * (1 + responseMs(draft, called, target)) : sum;
  }, own);
}
