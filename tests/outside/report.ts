import { spawnSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import type { Compared } from "./truth";

const FILE = join(process.cwd(), "docs", "outside.md");
const [BEGIN, END] = ["<!-- measured -->\n", "<!-- /measured -->"];
const PACKAGES = [
  "snmpd",
  "openssh-server",
  "nginx-light",
  "haproxy",
  "postgresql-15",
  "redis-server",
  "memcached",
].concat(["mosquitto", "rsyslog"]);

const rows: string[] = [];

/** Writes a result into docs/outside.md, with the date and the versions of the programs; where it is asked for. */
export function report(what: string, result: Compared): void {
  const { all, exact, lessExact, missing, wrong } = result;
  const share = Math.round((100 * exact) / all);
  rows.push(`| ${what} | ${all} | ${exact} (${share} %) | ${lessExact.length} | ${missing.length} | ${wrong.length} |`);
  if (lessExact.length) rows.push(...lessExact.map((one) => `| | | | ${one} | | |`));
  if (!process.env.OUTSIDE_REPORT) return;
  const versions = PACKAGES.flatMap((name) => {
    const found = spawnSync("dpkg-query", ["-W", "-f", "${Version}", name], { encoding: "utf8" }).stdout;
    return found ? [`${name} ${found}`] : [];
  });
  const table = `Measured on ${new Date().toISOString().slice(0, 10)} with Debian's ${versions.join(", ")}.

| read by | pairs that \`ss\` shows | process to process | host or listener only | missing | wrong |
|---|---|---|---|---|---|
${rows.join("\n")}
`;
  const page = readFileSync(FILE, "utf8");
  const [before = "", rest = ""] = page.split(BEGIN);
  writeFileSync(FILE, `${before}${BEGIN}\n${table}\n${END}${rest.split(END)[1] ?? "\n"}`);
}
