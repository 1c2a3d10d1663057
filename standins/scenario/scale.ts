import type { Scenario } from "./schema";

/**
 * The same estate, larger: hosts are copied in turn until there are `count` (a hypervisor stands before its machines, so
 * that they find its copy), each copy with a name of its own and an address in 127.40.0.0/16 for copies of the first site,
 * 127.41.0.0/16 for those of the second, and so on. Each round of copies is a cell: an estate of its own with the whole load.
 */
export function scaleScenario(scenario: Scenario, count: number): Scenario {
  const hosts = [...scenario.hosts];
  const models = scenario.hosts.filter((one) => !one.since && !one.spare);
  const taken: number[] = [];
  for (let index = 0; hosts.length < count; index++) {
    const model = models[index % models.length] as Scenario["hosts"][number];
    const copy = Math.floor(index / models.length) + 2;
    const site = scenario.sites.findIndex((one) => one.id === model.site);
    const place = taken[site] ?? 0;
    taken[site] = place + 1;
    hosts.push({
      ...model,
      ...(model.on ? { on: `${model.on}-x${copy}` } : {}),
      name: `${model.name}-x${copy}`,
      address: `127.${40 + site}.${Math.floor(place / 250)}.${(place % 250) + 1}`,
      cell: copy,
    });
  }
  return { ...scenario, hosts };
}
