import {
  claimOf,
  ingressOf,
  metaOf,
  nodeOf,
  podOf,
  serviceOf,
  warningOf,
  workloadOf,
  type ObjectMeta,
} from "./objects";

/** Lists of a cluster's interface, by their names there. */
export const CLUSTER_LISTS = {
  namespaces: { path: "/api/v1/namespaces", read: metaOf },
  nodes: { path: "/api/v1/nodes", read: nodeOf },
  claims: { path: "/api/v1/persistentvolumeclaims", read: claimOf },
  replicasets: { path: "/apis/apps/v1/replicasets", read: (one: unknown) => workloadOf(one, "ReplicaSet") },
  deployments: { path: "/apis/apps/v1/deployments", read: (one: unknown) => workloadOf(one, "Deployment") },
  statefulsets: { path: "/apis/apps/v1/statefulsets", read: (one: unknown) => workloadOf(one, "StatefulSet") },
  daemonsets: { path: "/apis/apps/v1/daemonsets", read: (one: unknown) => workloadOf(one, "DaemonSet") },
  cronjobs: { path: "/apis/batch/v1/cronjobs", read: (one: unknown) => workloadOf(one, "CronJob") },
  jobs: { path: "/apis/batch/v1/jobs", read: (one: unknown) => workloadOf(one, "Job") },
  pods: { path: "/api/v1/pods", read: podOf },
  services: { path: "/api/v1/services", read: serviceOf },
  ingresses: { path: "/apis/networking.k8s.io/v1/ingresses", read: ingressOf },
  warnings: { path: "/api/v1/events", read: warningOf },
} as const;
export type ClusterList = keyof typeof CLUSTER_LISTS;
export const CLUSTER_LIST_NAMES = Object.keys(CLUSTER_LISTS) as ClusterList[];

/** Workloads that people speak of; what they make to do their work is counted to them. */
export const WORKLOADS = ["deployments", "statefulsets", "daemonsets", "cronjobs", "jobs"] as const;
export type WorkloadList = (typeof WORKLOADS)[number];
export const LIST_OF_SORT: Readonly<Record<string, ClusterList>> = {
  Deployment: "deployments",
  StatefulSet: "statefulsets",
  DaemonSet: "daemonsets",
  CronJob: "cronjobs",
  Job: "jobs",
  ReplicaSet: "replicasets",
};
export const LIST_OF_SORT_NAMES = new Set(Object.values(LIST_OF_SORT));

/** Name within its list: name spaces and nodes have none before it. */
export const nameOf = ({ namespace, name }: Pick<ObjectMeta, "namespace" | "name">) =>
  namespace ? `${namespace}/${name}` : name;
