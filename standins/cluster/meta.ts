import { seedOf } from "../rhythm";
import type { ScenarioCluster } from "../scenario/schema";

/** An object as the interface shows it, without its version. */
export interface ClusterObject {
  metadata: { name: string; namespace?: string; uid: string; creationTimestamp: string; [more: string]: unknown };
  [more: string]: unknown;
}

/** Objects by list, as they stand at an instant. */
export type Snapshot = Record<string, ClusterObject[]>;

/** Hexadecimal digits that follow from a text, always the same. */
export const hex = (text: string, length: number) =>
  Array.from({ length: Math.ceil(length / 8) }, (_, part) =>
    (seedOf(`${text}${part}`, 23) >>> 0).toString(16).padStart(8, "0"),
  )
    .join("")
    .slice(0, length);
const uidOf = (text: string) => {
  const digits = hex(text, 32);
  return `${digits.slice(0, 8)}-${digits.slice(8, 12)}-4${digits.slice(13, 16)}-8${digits.slice(17, 20)}-${digits.slice(20)}`;
};
const iso = (ms: number) => `${new Date(ms).toISOString().slice(0, 19)}Z`;

/** What names an object: always the same for the same cluster, sort, name space and name. */
export type MetaOf = (
  name: string,
  sort: string,
  atMs: number,
  more?: object,
  namespace?: string | null,
) => ClusterObject["metadata"];

export const metaOf =
  (cluster: ScenarioCluster): MetaOf =>
  (name, sort, atMs, more = {}, namespace = cluster.space) => ({
    name,
    ...(namespace === null ? {} : { namespace }),
    uid: uidOf(`${cluster.name} ${sort} ${namespace} ${name}`),
    creationTimestamp: iso(atMs),
    ...more,
  });
