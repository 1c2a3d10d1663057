import { LIST_OF_SORT, nameOf, WORKLOADS } from "./lists";
import type { NodeObject, PodObject, WorkloadObject } from "./objects";
import type { ClusterState } from "./state";

/** Figures that follow from the objects, at the end of a round. */
export function* figuresOf(
  state: ClusterState,
): Generator<{ key: string; metric: string; instance: string; unit: string; value: number }> {
  const figure = (key: string, metric: string, value: number, unit = "1", instance = "") => ({
    key,
    metric,
    instance,
    unit,
    value,
  });
  const podsOnNode = new Map<string, number>();
  const restarts = new Map<string, number>();
  const jobs = new Map<string, { succeeded: number; failed: number; active: number }>();
  for (const pod of state.get<PodObject>("pods").values()) {
    const isOver = pod.phase === "Succeeded" || pod.phase === "Failed";
    if (!isOver) podsOnNode.set(pod.node, (podsOnNode.get(pod.node) ?? 0) + 1);
    const owner = state.workloadOf(pod);
    const sum = pod.containers.reduce((total, one) => total + one.restarts, 0);
    if (owner) restarts.set(`${owner.list} ${owner.name}`, (restarts.get(`${owner.list} ${owner.name}`) ?? 0) + sum);
    if (!isOver && !state.isShortLived(pod))
      for (const one of pod.containers) {
        const key = state.containerKey(pod, one.name);
        yield figure(key, "container.restarts", one.restarts);
        yield figure(key, "container.ready", Number(one.isReady), "0/1");
      }
  }
  for (const node of state.get<NodeObject>("nodes").values()) {
    const key = state.keyOf("nodes", node);
    yield figure(key, "node.ready", Number(node.isReady), "0/1");
    yield figure(key, "node.pods", podsOnNode.get(node.name) ?? 0);
  }
  for (const job of state.get<WorkloadObject>("jobs").values()) {
    const owner = state.ownerOf(job);
    const name = owner ? `${owner.list} ${owner.name}` : `jobs ${nameOf(job)}`;
    const sum = jobs.get(name) ?? { succeeded: 0, failed: 0, active: 0 };
    jobs.set(name, {
      succeeded: sum.succeeded + job.succeeded,
      failed: sum.failed + job.failed,
      active: sum.active + Number(job.succeeded + job.failed === 0),
    });
  }
  for (const list of WORKLOADS)
    for (const one of state.get<WorkloadObject>(list).values()) {
      if (one.owner && one.owner.sort in LIST_OF_SORT) continue;
      const key = state.keyOf(list, one);
      if (list === "jobs" || list === "cronjobs") {
        const { succeeded, failed, active } = jobs.get(`${list} ${nameOf(one)}`) ?? {
          succeeded: 0,
          failed: 0,
          active: 0,
        };
        yield figure(key, "workload.jobs.succeeded", succeeded);
        yield figure(key, "workload.jobs.failed", failed);
        yield figure(key, "workload.jobs.active", active);
        continue;
      }
      yield figure(key, "workload.wanted", one.wanted);
      yield figure(key, "workload.ready", one.ready);
      yield figure(key, "workload.missing", Math.max(0, one.wanted - one.ready));
      yield figure(key, "workload.restarts", restarts.get(`${list} ${nameOf(one)}`) ?? 0);
    }
}
