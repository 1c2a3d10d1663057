import { PLATFORM } from "../../estate/labels";
import { identityKey, type Observation } from "../../estate/observation";
import { nativeKey } from "../observe";
import { LIST_OF_SORT, WORKLOADS, type ClusterList, type WorkloadList } from "./lists";
import type {
  ClaimObject,
  IngressObject,
  NodeObject,
  ObjectMeta,
  PodObject,
  ServiceObject,
  WorkloadObject,
} from "./objects";
import type { ClusterState } from "./state";
import { labelsOf, lastEndInWords, prefixed, quotaInWords, text, withoutEmpty } from "./words";

const CONFIDENCE = 0.95;
const DEPTH = 1;

const partOf = (to: string) => ({ type: "part-of" as const, to, detail: "" });

const SORTS: Readonly<Record<string, string>> = {
  Deployment: "deployment",
  StatefulSet: "stateful set",
  DaemonSet: "one on each node",
  CronJob: "job by calendar",
  Job: "job",
};

/** What is said of an object of a cluster, by the others that are known. */
export function observe(state: ClusterState, list: ClusterList, object: ObjectMeta): Observation[] {
  switch (list) {
    case "namespaces":
      return [observation(state, list, object, "platform.namespace", {}, [partOf(state.clusterKey)])];
    case "nodes":
      return [observeNode(state, object as NodeObject)];
    case "claims":
      return [observeClaim(state, object as ClaimObject)];
    case "services":
      return [observeService(state, object as ServiceObject)];
    case "ingresses":
      return [observeIngress(state, object as IngressObject)];
    case "pods":
      return observePod(state, object as PodObject);
    case "replicasets":
    case "warnings":
      return [];
    default:
      return observeWorkload(state, list as WorkloadList, object as WorkloadObject);
  }
}

function observation(
  state: ClusterState,
  list: ClusterList,
  object: ObjectMeta,
  kind: string,
  facts: Record<string, string>,
  relations: NonNullable<Observation["relations"]>,
): Observation {
  return {
    keys: [{ value: state.keyOf(list, object), strength: 3 }],
    kind: { is: kind, reason: "the cluster's interface lists it", confidence: CONFIDENCE },
    name: object.name,
    nameElse: object.namespace ? `${object.namespace}/${object.name}` : `${object.name} (${state.account.name})`,
    depth: DEPTH,
    readBy: PLATFORM,
    facts: withoutEmpty({
      ...(object.namespace ? { "name space": object.namespace } : {}),
      ...facts,
      created: object.createdMs === undefined ? "" : `${new Date(object.createdMs).toISOString().slice(0, 16)}Z`,
    }),
    labels: labelsOf(object.labels),
    relations,
  };
}

function observeNode(state: ClusterState, node: NodeObject): Observation {
  const base = observation(
    state,
    "nodes",
    node,
    "host.node",
    {
      state: node.isReady ? (node.isClosed ? "ready, takes nothing new" : "ready") : "not ready",
      pressure: node.pressures.join(", "),
      system: node.system,
      "node agent": node.agent,
      processors: text(node.allocatable.cpu),
      "memory GiB": node.allocatable.memory === undefined ? "" : text(node.allocatable.memory / 2 ** 30),
      "pods at most": text(node.allocatable.pods),
    },
    [partOf(state.clusterKey)],
  );
  const [address] = node.addresses;
  return {
    ...base,
    kind: { ...base.kind, confidence: 0.5 },
    keys: [
      ...base.keys,
      ...(node.machine ? [identityKey("machine", node.machine)] : []),
      identityKey("name", node.hostName),
      ...node.addresses.map((one) => identityKey("addr", one)),
    ],
    ...(address === undefined ? {} : { address }),
    facts: prefixed(base.facts),
  };
}

function observeClaim(state: ClusterState, claim: ClaimObject): Observation {
  const facts = {
    state: claim.phase,
    "size GiB": claim.bytes === undefined ? "" : text(claim.bytes / 2 ** 30),
    "storage class": claim.storageClass,
    volume: claim.volume,
  };
  return observation(state, "claims", claim, "storage.volume", facts, [partOf(namespaceKey(state, claim))]);
}

function namespaceKey(state: ClusterState, { namespace }: ObjectMeta): string {
  return state.keyOf("namespaces", { namespace: "", name: namespace });
}

function observeWorkload(state: ClusterState, list: WorkloadList, workload: WorkloadObject): Observation[] {
  // What a calendar starts again and again is counted to the calendar.
  if (workload.owner && workload.owner.sort in LIST_OF_SORT) return [];
  const facts = {
    sort: SORTS[workload.sort] ?? workload.sort,
    images: [...new Set(workload.containers.map((one) => one.image))].join(", "),
    ...Object.fromEntries(workload.containers.map((one) => [`resources of ${one.name}`, quotaInWords(one)])),
  };
  return [
    observation(state, list, workload, "app.workload", facts, [
      partOf(namespaceKey(state, workload)),
      ...workload.claims.map((claim) => ({
        type: "stored-on" as const,
        to: state.keyOf("claims", { namespace: workload.namespace, name: claim }),
        detail: "",
      })),
    ]),
  ];
}

function observeService(state: ClusterState, service: ServiceObject): Observation {
  const wanted = Object.entries(service.selector);
  const behind = wanted.length
    ? WORKLOADS.flatMap((list) =>
        [...state.get<WorkloadObject>(list).values()]
          .filter(
            (one) =>
              one.namespace === service.namespace && wanted.every(([name, value]) => one.podLabels[name] === value),
          )
          .map((one) => ({ type: "talks-to" as const, to: state.keyOf(list, one), detail: "" })),
      )
    : [];
  const facts = { sort: service.sort, ports: service.ports.join(", "), "cluster address": service.address };
  return observation(state, "services", service, "platform.service", facts, [
    partOf(namespaceKey(state, service)),
    ...behind,
  ]);
}

function observeIngress(state: ClusterState, ingress: IngressObject): Observation {
  return observation(state, "ingresses", ingress, "platform.ingress", { hosts: ingress.hosts.join(", ") }, [
    partOf(namespaceKey(state, ingress)),
    ...ingress.services.map((name) => ({
      type: "talks-to" as const,
      to: state.keyOf("services", { namespace: ingress.namespace, name }),
      detail: "",
    })),
  ]);
}

/** Containers of what runs on; what does one piece of work and ends is counted to its workload. */
function observePod(state: ClusterState, pod: PodObject): Observation[] {
  const owner = state.workloadOf(pod);
  if (state.isShortLived(pod) || pod.phase === "Succeeded" || pod.phase === "Failed") return [];
  const node = state.get<NodeObject>("nodes").get(pod.node);
  return pod.containers.map((one) => {
    const base = observation(state, "pods", { ...pod, labels: {} }, "app.container", {}, []);
    return {
      ...base,
      keys: [
        { value: state.containerKey(pod, one.name), strength: 3 as const },
        ...(/^[0-9a-f]{64}$/.test(one.id) ? [identityKey("container", one.id)] : []),
      ],
      name: `${one.name} @ ${pod.node || "no node"}`,
      nameElse: pod.containers.length === 1 ? pod.name : `${pod.name}/${one.name}`,
      label: one.name,
      ...(node ? { host: { key: state.keyOf("nodes", node) } } : {}),
      ...(one.id ? { container: one.id } : {}),
      facts: prefixed(
        withoutEmpty({
          "name space": pod.namespace,
          pod: pod.name,
          image: one.image,
          state: one.state,
          "CPU request": text(one.cpuRequest),
          "CPU limit": text(one.cpuLimit),
          "memory request MiB": one.memoryRequest === undefined ? "" : text(one.memoryRequest / 2 ** 20),
          "memory limit MiB": one.memoryLimit === undefined ? "" : text(one.memoryLimit / 2 ** 20),
          "last end": lastEndInWords(one),
        }),
      ),
      relations: [
        partOf(owner ? nativeKey(state.account, "", owner.list, owner.name) : namespaceKey(state, pod)),
        ...pod.claims.map((claim) => ({
          type: "stored-on" as const,
          to: state.keyOf("claims", { namespace: pod.namespace, name: claim }),
          detail: "",
        })),
      ],
    };
  });
}
