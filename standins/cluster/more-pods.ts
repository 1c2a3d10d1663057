import type { ScenarioCluster } from "../scenario/schema";
import { hex, type ClusterObject, type MetaOf } from "./meta";

const PER_DEPLOYMENT = 50;

/** Many more deployments and pods, for trying how it goes with them. */
export class MorePods {
  private readonly kept: ClusterObject[] = [];
  /** How often each of them has been restarted. */
  private readonly churned = new Map<number, number>();

  constructor(
    private readonly cluster: ScenarioCluster,
    private readonly meta: MetaOf,
    private readonly sinceMs: number,
  ) {}

  deployments(): ClusterObject[] {
    const count = Math.ceil(this.cluster.more / PER_DEPLOYMENT);
    return Array.from({ length: count }, (_, index) => ({
      metadata: this.meta(`batch-${index}`, "deployment", this.sinceMs),
      spec: {
        replicas: PER_DEPLOYMENT,
        template: { spec: { containers: [{ name: "work", image: "plain:1" }] } },
      },
      status: { readyReplicas: PER_DEPLOYMENT, updatedReplicas: PER_DEPLOYMENT },
    }));
  }

  replicaSets(): ClusterObject[] {
    const count = Math.ceil(this.cluster.more / PER_DEPLOYMENT);
    return Array.from({ length: count }, (_, index) => ({
      metadata: this.meta(`batch-${index}-a`, "replicaset", this.sinceMs, {
        ownerReferences: [
          {
            kind: "Deployment",
            name: `batch-${index}`,
            uid: this.meta(`batch-${index}`, "deployment", 0).uid,
            controller: true,
          },
        ],
      }),
      spec: {},
      status: {},
    }));
  }

  pods(): ClusterObject[] {
    for (let index = this.kept.length; index < this.cluster.more; index++) this.kept.push(this.pod(index));
    return this.kept;
  }

  /** Makes one of the further pods restart. @returns it as it is then */
  churn(index: number): ClusterObject {
    this.churned.set(index, (this.churned.get(index) ?? 0) + 1);
    return (this.kept[index] = this.pod(index));
  }

  private pod(index: number): ClusterObject {
    const set = `batch-${Math.floor(index / PER_DEPLOYMENT)}-a`;
    const name = `${set}-${index}`;
    return {
      metadata: this.meta(name, "pod", this.sinceMs, {
        ownerReferences: [
          { kind: "ReplicaSet", name: set, uid: this.meta(set, "replicaset", 0).uid, controller: true },
        ],
      }),
      spec: {
        nodeName: this.cluster.nodes[index % this.cluster.nodes.length],
        containers: [{ name: "work", image: "plain:1", resources: { limits: { cpu: "500m", memory: "256Mi" } } }],
      },
      status: {
        phase: "Running",
        containerStatuses: [
          {
            name: "work",
            ready: true,
            restartCount: this.churned.get(index) ?? 0,
            containerID: `containerd://${hex(`${name} ${this.churned.get(index) ?? 0}`, 64)}`,
            state: { running: {} },
          },
        ],
      },
    };
  }
}
