import { OF_PLATFORM, type Label } from "../../estate/labels";
import type { ContainerSpec, PodContainer } from "./objects";

export const text = (value: number | undefined): string =>
  value === undefined ? "" : String(Math.round(value * 1000) / 1000);
export const withoutEmpty = (facts: Record<string, string>) =>
  Object.fromEntries(Object.entries(facts).filter(([, value]) => value !== ""));
export const prefixed = (facts: Readonly<Record<string, string>>) =>
  Object.fromEntries(Object.entries(facts).map(([name, value]) => [`${OF_PLATFORM}${name}`, value]));

const MOST_LABELS = 30;
export function labelsOf(labels: Readonly<Record<string, string>>): Label[] {
  return Object.entries(labels)
    .slice(0, MOST_LABELS)
    .map(([name, value]) => ({
      name: "tag" as const,
      value: `${name}=${value}`.replaceAll(/[,:]+/g, " ").slice(0, 200),
    }));
}

export function lastEndInWords({ lastEnd }: PodContainer): string {
  if (!lastEnd) return "";
  const when = lastEnd.atMs === undefined ? "" : ` at ${new Date(lastEnd.atMs).toISOString().slice(0, 16)}Z`;
  return `${REASONS[lastEnd.reason] ?? (lastEnd.reason || "ended")} (exit code ${lastEnd.code})${when}`;
}
const REASONS: Readonly<Record<string, string>> = {
  OOMKilled: "killed for want of memory",
  Error: "failed",
  Completed: "ended",
};

const mib = (bytes: number | undefined) => (bytes === undefined ? "none" : `${text(bytes / 2 ** 20)} MiB`);
const cpus = (count: number | undefined) => (count === undefined ? "none" : text(count));

/** "CPU 0.2 to 1, memory 128 to 256 MiB": what a container asks for, and what it is kept to. */
export const quotaInWords = (one: ContainerSpec): string =>
  `CPU request ${cpus(one.cpuRequest)}, limit ${cpus(one.cpuLimit)}; memory request ${mib(one.memoryRequest)}, limit ${mib(one.memoryLimit)}`;

export function differencesOf(was: ContainerSpec, is: ContainerSpec): string[] {
  const parts: string[] = [];
  const differs = (name: string, a: string, b: string) => {
    if (a !== b) parts.push(`${name} of ${is.name} ${a} → ${b}`);
  };
  differs("image", was.image, is.image);
  differs("CPU request", cpus(was.cpuRequest), cpus(is.cpuRequest));
  differs("CPU limit", cpus(was.cpuLimit), cpus(is.cpuLimit));
  differs("memory request", mib(was.memoryRequest), mib(is.memoryRequest));
  differs("memory limit", mib(was.memoryLimit), mib(is.memoryLimit));
  return parts;
}
