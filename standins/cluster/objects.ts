import { seedOf } from "../rhythm";
import type { ScenarioCluster } from "../scenario/schema";
import type { Estate } from "../seen/estate";
import { containerId } from "../seen/agents";
import { uuidOf, type HostView } from "../seen/host-view";
import { GIB } from "../world/layout";
import { NodeFigures, type Placed } from "./figures";
import { cronJobOf, jobsOf } from "./jobs";
import { hex, metaOf, type ClusterObject, type MetaOf, type Snapshot } from "./meta";
import { MorePods } from "./more-pods";

const DAY_MS = 86_400_000;

/** What a pretended cluster has: its nodes are hosts of the world, its pods their containers. */
export class ClusterObjects {
  readonly more: MorePods;
  private readonly placed: readonly Placed[];
  private readonly meta: MetaOf;
  private readonly figures = new NodeFigures();

  constructor(
    private readonly estate: Estate,
    readonly cluster: ScenarioCluster,
  ) {
    this.meta = metaOf(cluster);
    this.more = new MorePods(cluster, this.meta, this.sinceMs);
    this.placed = cluster.nodes.flatMap((name) => {
      const host = estate.host(name);
      return host ? host.machine.containers.map((container) => ({ host, container })) : [];
    });
  }

  private get sinceMs(): number {
    return this.estate.anchorMs - 90 * DAY_MS;
  }

  snapshot(atMs: number): Snapshot {
    this.estate.world.advance(atMs);
    const names = [...new Set(this.placed.map((one) => one.container.spec.name))];
    const daemons = names.filter((one) => this.cluster.daemons.includes(one));
    const deployments = names.filter((one) => !this.cluster.daemons.includes(one));
    const jobs = jobsOf(this.cluster, this.meta, atMs);
    return {
      "/api/v1/namespaces": [
        { metadata: this.meta("kube-system", "namespace", this.sinceMs, {}, null) },
        { metadata: this.meta(this.cluster.space, "namespace", this.sinceMs, {}, null) },
      ],
      "/api/v1/nodes": this.cluster.nodes.flatMap((name) => this.node(name, atMs)),
      "/apis/apps/v1/deployments": [
        ...deployments.map((name) => this.deployment(name, atMs)),
        ...this.more.deployments(),
      ],
      "/apis/apps/v1/replicasets": [
        ...deployments.flatMap((name) => this.replicaSets(name, atMs)),
        ...this.more.replicaSets(),
      ],
      "/apis/apps/v1/statefulsets": [],
      "/apis/apps/v1/daemonsets": daemons.map((name) => this.daemonSet(name, atMs)),
      "/apis/batch/v1/cronjobs": cronJobOf(this.cluster, this.meta, this.sinceMs),
      "/apis/batch/v1/jobs": jobs.map((one) => one.job),
      "/api/v1/pods": [
        ...this.placed
          .filter((one) => this.copiesOf(one.container.spec.name).includes(one))
          .map((one) => this.pod(one, daemons.includes(one.container.spec.name), atMs)),
        ...jobs.map((one) => one.pod),
        ...this.more.pods(),
      ],
      "/api/v1/events": this.events(daemons, atMs),
      "/api/v1/services": deployments.map((name) => this.service(name)),
      "/apis/networking.k8s.io/v1/ingresses": deployments.length ? [this.ingress(deployments)] : [],
      "/api/v1/persistentvolumeclaims": deployments.length ? [this.claim(deployments[0] as string)] : [],
    };
  }

  /** What the cluster says of pods that start again and again, and of those held back by their quota. */
  private events(daemons: readonly string[], atMs: number): ClusterObject[] {
    const { state } = this.estate.world;
    return this.placed.flatMap((one) => {
      const { container } = one;
      const pod = this.pod(one, daemons.includes(container.spec.name), atMs);
      const [status] = (pod.status as { containerStatuses: { restartCount: number }[] }).containerStatuses;
      const times = status?.restartCount ?? 0;
      if (times === 0) return [];
      const name = `${pod.metadata.name}.backoff`;
      return [
        {
          metadata: this.meta(name, "event", state.atMs),
          type: "Warning",
          reason: "BackOff",
          message: `Back-off restarting failed container ${container.spec.name}`,
          count: times,
          lastTimestamp: new Date(atMs - (atMs % 60_000)).toISOString(),
          involvedObject: { kind: "Pod", namespace: pod.metadata.namespace, name: pod.metadata.name },
        } as unknown as ClusterObject,
      ];
    });
  }

  private node(name: string, atMs: number): ClusterObject[] {
    const host = this.estate.host(name);
    if (!host) return [];
    const { role, seed } = host.machine;
    const isReady = this.isReadyNode(host, atMs);
    const resources = {
      cpu: String(role.cores),
      memory: `${Math.round((role.memoryGiB * GIB) / 1024)}Ki`,
      pods: "110",
    };
    return [
      {
        metadata: this.meta(
          name,
          "node",
          this.sinceMs,
          { labels: { "topology.kubernetes.io/zone": host.site.id } },
          null,
        ),
        spec: { podCIDR: `10.244.${Math.abs(seed) % 250}.0/24` },
        status: {
          capacity: resources,
          allocatable: resources,
          conditions: [
            { type: "MemoryPressure", status: "False" },
            { type: "DiskPressure", status: "False" },
            { type: "Ready", status: isReady ? "True" : "Unknown" },
          ],
          addresses: [
            { type: "InternalIP", address: host.address },
            { type: "Hostname", address: host.fullName },
          ],
          nodeInfo: { systemUUID: uuidOf(host.machine), osImage: "Plain Linux 12", kubeletVersion: "v1.31.4" },
        },
      },
    ];
  }

  private limits({ container }: Placed): { cpu: number; memoryMiB: number } {
    const { mods } = this.estate.world;
    return {
      cpu: mods.quotaCpu[container.index] as number,
      memoryMiB: mods.quotaMemory[container.index] as number,
    };
  }

  /** The template that a container runs by: what it is kept to may have been rolled out on some nodes only so far. */
  private templateOf(one: Placed) {
    const { cpu, memoryMiB } = this.limits(one);
    const { spec } = one.container;
    return {
      metadata: { labels: { app: spec.name } },
      spec: {
        containers: [
          {
            name: spec.name,
            image: spec.image || `halvane/${spec.name}:1.0`,
            resources: {
              requests: {
                cpu: `${Math.round(Math.min(cpu, spec.cpuLimit / 2) * 1000)}m`,
                memory: `${Math.round(Math.min(memoryMiB, spec.memoryLimitMiB / 2))}Mi`,
              },
              limits: { cpu: `${Math.round(cpu * 1000)}m`, memory: `${memoryMiB}Mi` },
            },
          },
        ],
        volumes:
          spec.name === this.firstDeployment
            ? [{ name: "data", persistentVolumeClaim: { claimName: `${spec.name}-data` } }]
            : [],
      },
    };
  }

  private get firstDeployment(): string | undefined {
    return this.placed.find((one) => !this.cluster.daemons.includes(one.container.spec.name))?.container.spec.name;
  }

  private hashOf(template: object): string {
    return hex(JSON.stringify(template), 10);
  }

  private everyCopyOf(name: string): Placed[] {
    return this.placed.filter((one) => one.container.spec.name === name);
  }

  private copiesOf(name: string): Placed[] {
    return this.everyCopyOf(name).slice(0, this.wanted.get(name));
  }

  /** The template that is being rolled out: the one that differs from what the estate began with, else that. */
  private latestOf(copies: readonly Placed[]) {
    const changed = copies.find((one) => {
      const { cpu, memoryMiB } = this.limits(one);
      return cpu !== one.container.spec.cpuLimit || memoryMiB !== one.container.spec.memoryLimitMiB;
    });
    return this.templateOf((changed ?? copies[0]) as Placed);
  }

  /** How many copies are wanted of what was scaled. */
  private readonly wanted = new Map<string, number>();

  /** Copies of a deployment that are wanted; undefined where there is none of that name. */
  scaleOf(name: string): number | undefined {
    const copies = this.everyCopyOf(name).length;
    return copies === 0 || this.cluster.daemons.includes(name) ? undefined : (this.wanted.get(name) ?? copies);
  }

  /** Starts and stops copies; nodes have room for those that the estate began with, others wait. */
  scale(name: string, replicas: number, atMs: number): void {
    const { world } = this.estate;
    this.wanted.set(name, replicas);
    this.everyCopyOf(name).forEach(({ host, container }, index) => {
      const station = host.machine.stations.find((one) => one.container === container);
      if (!station) return;
      if (index >= replicas && world.isRunning(station)) world.stop(station, atMs);
      else if (index < replicas && !world.isRunning(station)) world.start(station, atMs);
    });
  }

  private deployment(name: string, atMs: number): ClusterObject {
    const copies = this.copiesOf(name);
    const template = this.latestOf(this.everyCopyOf(name));
    const hash = this.hashOf(template);
    return {
      metadata: this.meta(name, "deployment", this.sinceMs, { labels: { app: name, team: "rail" } }),
      spec: {
        replicas: this.wanted.get(name) ?? copies.length,
        selector: { matchLabels: { app: name } },
        template,
      },
      status: {
        replicas: copies.length,
        readyReplicas: copies.filter((one) => this.isReady(one, atMs)).length,
        updatedReplicas: copies.filter((one) => this.hashOf(this.templateOf(one)) === hash).length,
      },
    };
  }

  private daemonSet(name: string, atMs: number): ClusterObject {
    const copies = this.copiesOf(name);
    const ready = copies.filter((one) => this.isReady(one, atMs)).length;
    return {
      metadata: this.meta(name, "daemonset", this.sinceMs, { labels: { app: name } }),
      spec: { template: this.templateOf(copies[0] as Placed) },
      status: { desiredNumberScheduled: copies.length, numberReady: ready, updatedNumberScheduled: copies.length },
    };
  }

  private replicaSets(name: string, atMs: number): ClusterObject[] {
    const sets = new Map<string, Placed[]>();
    for (const one of this.copiesOf(name)) {
      const hash = this.hashOf(this.templateOf(one));
      sets.set(hash, [...(sets.get(hash) ?? []), one]);
    }
    return [...sets].map(([hash, copies]) => ({
      metadata: this.meta(`${name}-${hash}`, "replicaset", this.sinceMs, {
        ownerReferences: [{ kind: "Deployment", name, uid: this.meta(name, "deployment", 0).uid, controller: true }],
      }),
      spec: { replicas: copies.length, template: this.templateOf(copies[0] as Placed) },
      status: { replicas: copies.length, readyReplicas: copies.filter((one) => this.isReady(one, atMs)).length },
    }));
  }

  private isReady({ host, container }: Placed, atMs: number): boolean {
    const station = host.machine.stations.find((one) => one.container === container);
    return this.isReadyNode(host, atMs) && (station === undefined || this.estate.world.isRunning(station));
  }

  /** Whether the control plane hears a node: it stands at the same site, whatever becomes of the lines to others. */
  private isReadyNode(host: HostView, atMs: number): boolean {
    this.estate.world.advance(atMs);
    return this.estate.world.isReachedAtSite(host.machine);
  }

  /** Whether the interface of the cluster answers at Holotaxis' place: the line to its site carries. */
  isReached(atMs: number): boolean {
    const [node] = this.placed;
    this.estate.world.advance(atMs);
    return node === undefined || this.estate.world.isSiteReached(node.host.machine);
  }

  podName(one: Placed, isDaemon: boolean): string {
    const { name } = one.container.spec;
    const own = hex(`${one.host.name} ${name}`, 5);
    return isDaemon ? `${name}-${own}` : `${name}-${this.hashOf(this.templateOf(one))}-${own}`;
  }

  private pod(one: Placed, isDaemon: boolean, atMs: number): ClusterObject {
    const { host, container } = one;
    const { name } = container.spec;
    const template = this.templateOf(one);
    const station = host.machine.stations.find((each) => each.container === container);
    const { state } = this.estate.world;
    const isReady = this.isReady(one, atMs);
    const kills = station ? (state.station.kills[station.index] as number) : 0;
    const restarts = station ? Math.max(0, state.station.starts[station.index] as number) : 0;
    const owner = isDaemon
      ? { kind: "DaemonSet", name, uid: this.meta(name, "daemonset", 0).uid, controller: true }
      : {
          kind: "ReplicaSet",
          name: `${name}-${this.hashOf(template)}`,
          uid: this.meta(`${name}-${this.hashOf(template)}`, "replicaset", 0).uid,
          controller: true,
        };
    return {
      metadata: this.meta(this.podName(one, isDaemon), "pod", this.sinceMs, {
        labels: { app: name },
        ownerReferences: [owner],
      }),
      spec: { nodeName: host.name, ...template.spec },
      status: {
        phase: "Running",
        podIP: `10.244.${Math.abs(host.machine.seed) % 250}.${(Math.abs(container.seed) % 200) + 10}`,
        containerStatuses: [
          {
            name,
            ready: isReady,
            restartCount: Math.round(restarts),
            containerID: `containerd://${containerId(container)}`,
            state: isReady ? { running: {} } : { waiting: { reason: "CrashLoopBackOff" } },
            ...(restarts > 0
              ? {
                  lastState: {
                    terminated: { reason: kills > 0 ? "OOMKilled" : "Error", exitCode: kills > 0 ? 137 : 1 },
                  },
                }
              : {}),
          },
        ],
      },
    };
  }

  private service(name: string): ClusterObject {
    return {
      metadata: this.meta(name, "service", this.sinceMs),
      spec: {
        type: "ClusterIP",
        clusterIP: `10.96.0.${(seedOf(name, 3) >>> 0) % 200}`,
        selector: { app: name },
        ports: [{ port: 80, protocol: "TCP" }],
      },
    };
  }

  private ingress(names: readonly string[]): ClusterObject {
    return {
      metadata: this.meta("depot", "ingress", this.sinceMs),
      spec: {
        rules: [
          {
            host: `depot.${this.estate.scenario.organisation.domain}`,
            http: {
              paths: names.map((name) => ({ path: `/${name}`, backend: { service: { name, port: { number: 80 } } } })),
            },
          },
        ],
      },
    };
  }

  private claim(name: string): ClusterObject {
    return {
      metadata: this.meta(`${name}-data`, "claim", this.sinceMs),
      spec: { volumeName: `pv-${hex(name, 8)}`, storageClassName: "depot-fast" },
      status: { phase: "Bound", capacity: { storage: "20Gi" } },
    };
  }

  /** A node's page of container metrics; undefined where it is none of the cluster's, or does not answer. */
  page(node: string, atMs: number): string | undefined {
    const host = this.estate.host(node);
    if (!host || !this.cluster.nodes.includes(node) || !host.answers(atMs)) return undefined;
    return this.figures.page(
      {
        space: this.cluster.space,
        host,
        own: this.placed.filter((one) => one.host === host),
        podOf: (one) => this.podName(one, this.cluster.daemons.includes(one.container.spec.name)),
        memoryMiBOf: (one) => this.limits(one).memoryMiB,
      },
      atMs,
    );
  }
}
