import type { Estate } from "../seen/estate";
import { CloudView } from "./view";

/** A figure that a cloud would have told, by the id of what it is of. */
interface Told {
  id: string;
  metric: string;
  unit: string;
  value: number;
}

/** What the interfaces of all clouds would have told at instants of the past. */
export class CloudFeed {
  private readonly views: readonly CloudView[];

  constructor(estate: Estate) {
    this.views = estate.scenario.clouds.map((cloud) => new CloudView(estate, cloud, estate.anchorMs));
  }

  /** @returns figures in an order of their own; what is there later is told later */
  at(atMs: number): Told[] {
    return this.views.flatMap((view) => [
      ...view.machines(atMs).flatMap((one) => {
        if (!one.isRunning || view.isCut(one.region, atMs)) return [];
        const figures = view.figures(one, atMs);
        return told(one.id, [
          ["guest.running", "0/1", 1],
          ["guest.cpu.used", "%", figures.cpu * 100],
          ...(view.cloud.shape === "veldtline" ? ([["guest.memory.used", "%", figures.memory * 100]] as const) : []),
          ["guest.net.in", "bit/s", figures.inBytes * 8],
          ["guest.net.out", "bit/s", figures.outBytes * 8],
          ["guest.disk.read", "By/s", figures.readBytes],
          ["guest.disk.written", "By/s", figures.writtenBytes],
        ]);
      }),
      ...view.volumes(atMs).flatMap((one) =>
        told(one.id, [
          ["volume.reads", "1/s", one.reads],
          ["volume.writes", "1/s", one.writes],
          ["volume.latency", "ms", one.latencyMs],
          ["volume.busy", "%", one.busy * 100],
        ]),
      ),
      ...view.balancers(atMs).flatMap((one) =>
        told(one.id, [
          ["balancer.requests", "1/s", one.perSecond],
          ["balancer.failed", "%", one.failing * 100],
          ["balancer.response", "ms", one.ms],
          ["balancer.targets.healthy", "1", one.healthy],
        ]),
      ),
      ...view.buckets(atMs).flatMap((one) =>
        told(one.id, [
          ["bucket.size", "By", Math.round(one.bytes)],
          ["bucket.objects", "1", one.objects],
        ]),
      ),
      ...view.databases(atMs).flatMap((one) =>
        told(one.id, [
          ["database.cpu.used", "%", one.cpu * 100],
          ["database.connections", "1", one.connections],
          ["database.storage.used", "%", one.usedShare * 100],
          ["database.latency", "ms", one.ms],
        ]),
      ),
      ...view.functions(atMs).flatMap((one) =>
        told(one.id, [
          ["function.calls", "1/s", one.perSecond],
          ["function.errors", "%", one.failing * 100],
          ["function.duration", "ms", one.ms],
        ]),
      ),
    ]);
  }
}

const told = (id: string, figures: readonly (readonly [metric: string, unit: string, value: number])[]): Told[] =>
  figures.map(([metric, unit, value]) => ({ id, metric, unit, value: Math.round(value * 1000) / 1000 }));
