import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { expect, it } from "vitest";
import { linuxSystem, sectionsOf } from "#core/estate/linux";
import { linuxPoll } from "#core/estate/linux-poll";
import { virtualScript } from "../virtual/script";
import { LOOK, POLL } from "./scripts";

const run = (script: string) => execFileSync("sh", ["-c", script], { encoding: "utf8", maxBuffer: 64 * 1024 * 1024 });

it("is what the document on security says it is, word for word", () => {
  const page = readFileSync("docs/security.md", "utf8");
  for (const script of [LOOK, POLL, virtualScript("qemu:///system")])
    expect(page).toContain(`\`\`\`sh\n${script}\`\`\``);
});

it("reads the machine that this runs on", () => {
  const sections = sectionsOf(run(LOOK));
  expect(sections.has("end")).toBe(true);
  const system = linuxSystem(sections);
  expect(system.sysDescr).toContain("Linux");
  expect(system.processors).toBeGreaterThan(0);
  expect(system.storage[0]?.sizeUnits).toBeGreaterThan(100_000);
  const own = system.software.find((row) => row.pid === process.pid);
  expect(own?.path).toBe(process.execPath);
});

it("polls the machine that this runs on", () => {
  const { poll, times, processes } = linuxPoll(sectionsOf(run(POLL)), undefined);
  expect(times.length).toBeGreaterThan(0);
  expect(poll.storage[0]?.usedBytes).toBeGreaterThan(0);
  expect(processes.find((one) => one.pid === process.pid)?.memoryBytes).toBeGreaterThan(1_000_000);
});
