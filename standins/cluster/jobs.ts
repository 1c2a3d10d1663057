import { scatter } from "../rhythm";
import type { ScenarioCluster } from "../scenario/schema";
import { hex, type ClusterObject, type MetaOf } from "./meta";

/** What is started again and again, where a cluster has such. */
export function cronJobOf(cluster: ScenarioCluster, meta: MetaOf, sinceMs: number): ClusterObject[] {
  const { job } = cluster;
  if (!job) return [];
  const template = {
    spec: {
      containers: [{ name: job.name, image: job.image, resources: { limits: { cpu: "200m", memory: "128Mi" } } }],
    },
  };
  return [
    {
      metadata: meta(job.name, "cronjob", sinceMs),
      spec: { schedule: `*/${job.everyMinutes} * * * *`, jobTemplate: { spec: { template } } },
    },
  ];
}

/** The last three runs, the newest maybe still under way; now and then one fails. */
export function jobsOf(
  cluster: ScenarioCluster,
  meta: MetaOf,
  atMs: number,
): { job: ClusterObject; pod: ClusterObject }[] {
  const { job } = cluster;
  if (!job) return [];
  const every = job.everyMinutes * 60_000;
  const newest = Math.floor(atMs / every);
  return [newest - 2, newest - 1, newest].map((run) => {
    const name = `${job.name}-${run}`;
    const startMs = run * every;
    const endMs = startMs + job.lastsSeconds * 1000;
    const isOver = atMs > endMs;
    const failed = scatter(run, 5) < 0.04;
    const cron = { kind: "CronJob", name: job.name, uid: meta(job.name, "cronjob", 0).uid, controller: true };
    const own = { kind: "Job", name, uid: meta(name, "job", 0).uid, controller: true };
    const spec = { containers: [{ name: job.name, image: job.image }] };
    return {
      job: {
        metadata: meta(name, "job", startMs, { ownerReferences: [cron] }),
        spec: { parallelism: 1, template: { spec } },
        status: isOver ? overAt(endMs, failed) : { active: 1, startTime: new Date(startMs).toISOString() },
      },
      pod: {
        metadata: meta(`${name}-${hex(name, 5)}`, "pod", startMs, { ownerReferences: [own] }),
        spec: { ...spec, nodeName: cluster.nodes[run % cluster.nodes.length] },
        status: { phase: isOver ? (failed ? "Failed" : "Succeeded") : "Running", containerStatuses: [] },
      },
    };
  });
}

/** How a job stands that is over. */
function overAt(endMs: number, failed: boolean) {
  const at = new Date(endMs).toISOString();
  return failed
    ? { failed: 1, conditions: [{ type: "Failed", status: "True", lastTransitionTime: at }] }
    : { succeeded: 1, completionTime: at, conditions: [{ type: "Complete", status: "True", lastTransitionTime: at }] };
}
