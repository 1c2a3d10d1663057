import type { StorageRow } from "./sighting";

/** Where systems mount what is no disk: the kernel's own views, shared memory, runtime files, layers of containers. */
const PSEUDO =
  /^\/(sys|proc|dev|run|snap)(\/|$)|^\/var\/(run|lock|lib\/(docker|containers|containerd|kubelet|snapd))\//;

/**
 * Whether a mounted volume is a disk that can fill up: not one of the kernel's views, and not an image that is full from
 * the day it was made.
 */
export const isDisk = (row: Pick<StorageRow, "label" | "sizeUnits">, readOnly: boolean): boolean =>
  row.sizeUnits > 0 && !readOnly && !PSEUDO.test(row.label);
