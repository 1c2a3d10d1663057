import { inSpans, parseRanges } from "#core/estate/ranges";
import type { Scenario, ScenarioEffect, ScenarioProcess, ScenarioRepair } from "./schema";

/** Every reference in a scenario that leads nowhere, as a sentence with its place. */
export function problemsOf(scenario: Scenario): string[] {
  const check = new Check(scenario);
  check.roles();
  check.hosts();
  check.outside();
  check.clouds();
  check.clusters();
  check.faults();
  check.drills();
  check.outputs();
  return check.problems;
}

class Check {
  readonly problems: string[] = [];
  private readonly named: Map<string, Scenario["hosts"][number]>;
  private readonly faultIds: Set<string>;
  private readonly siteIds: Set<string>;

  constructor(private readonly scenario: Scenario) {
    this.named = new Map(scenario.hosts.map((one) => [one.name, one]));
    this.faultIds = new Set(scenario.faults.map((one) => one.id));
    this.siteIds = new Set(scenario.sites.map((one) => one.id));
  }

  private missing(place: string, what: string, id: string, known: Iterable<string>): void {
    const list = [...known];
    this.problems.push(
      list.length
        ? `${place}: there is no ${what} “${id}”. Known are ${list.slice(0, 8).join(", ")}${list.length > 8 ? " and more" : ""}.`
        : `${place}: there is no ${what} “${id}”.`,
    );
  }

  private processesOf(role: string): readonly ScenarioProcess[] {
    return this.scenario.roles[role]?.processes ?? [];
  }

  private processOn(host: string, process: string): ScenarioProcess | undefined {
    return this.processesOf(this.named.get(host)?.role ?? "").find((one) => one.name === process);
  }

  roles(): void {
    const { scenario } = this;
    for (const [id, one] of Object.entries(scenario.roles)) {
      if (one.containers.length && !one.agent)
        this.problems.push(
          `roles.${id}.containers: nobody tells of containers on a host without an agent. Set “agent” to true.`,
        );
      if (!(one.rhythm in scenario.rhythms))
        this.missing(`roles.${id}.rhythm`, "rhythm", one.rhythm, Object.keys(scenario.rhythms));
      for (const container of one.containers)
        if (container.process !== undefined && !one.processes.some((each) => each.name === container.process))
          this.missing(
            `roles.${id}.containers.${container.name}`,
            "process",
            container.process,
            one.processes.map((each) => each.name),
          );
      for (const process of one.processes) this.process(id, process);
    }
  }

  private process(role: string, process: ScenarioProcess): void {
    const { scenario } = this;
    const place = `roles.${role}.${process.name}`;
    const mounts = scenario.roles[role]?.disks.map((disk) => disk.mount) ?? [];
    if (process.data !== undefined && !mounts.includes(process.data))
      this.missing(`${place}.data`, "disk mounted at", process.data, mounts);
    for (const talk of process.talksTo) {
      if (!scenario.roles[talk.role]) this.missing(`${place}.talksTo`, "role", talk.role, Object.keys(scenario.roles));
      else {
        const listening = this.processesOf(talk.role).filter((other) => other.listens.length);
        if (!listening.some((other) => other.name === talk.process))
          this.missing(
            `${place}.talksTo`,
            `listening process in role ${talk.role} named`,
            talk.process,
            listening.map((other) => other.name),
          );
      }
    }
    for (const operation of process.operations)
      for (const call of operation.calls) {
        this.call(`${place}.operations.${operation.name}`, process, call.to, call.operation);
        if (call.queue !== undefined && !scenario.queues.some((one) => one.name === call.queue))
          this.missing(
            `${place}.operations.${operation.name}`,
            "queue",
            call.queue,
            scenario.queues.map((one) => one.name),
          );
      }
  }

  private call(place: string, process: ScenarioProcess, to: string, operation: string): void {
    const talk = process.talksTo.find((one) => one.process === to);
    if (!talk)
      return this.missing(
        place,
        "entry of talksTo for the process",
        to,
        process.talksTo.map((one) => one.process),
      );
    const called = this.processesOf(talk.role).find((one) => one.name === to);
    if (called && !called.operations.some((one) => one.name === operation))
      this.missing(
        place,
        `operation of ${to} in role ${talk.role} named`,
        operation,
        called.operations.map((one) => one.name),
      );
  }

  hosts(): void {
    const { scenario, problems, named } = this;
    const sites = new Map(scenario.sites.map((site) => [site.id, site]));
    if (named.size !== scenario.hosts.length) problems.push("hosts: two hosts have the same name. Give each its own.");
    const addresses = new Set<string>();
    const before = new Set<string>();
    for (const one of scenario.hosts) {
      if (!(one.role in scenario.roles))
        this.missing(`hosts.${one.name}.role`, "role", one.role, Object.keys(scenario.roles));
      const site = sites.get(one.site);
      if (!site) this.missing(`hosts.${one.name}.site`, "site", one.site, sites.keys());
      else {
        const network = parseRanges(site.network);
        if (!network.ok) problems.push(`sites.${site.id}.network: ${network.problem}`);
        else if (!inSpans(one.address, network.spans))
          problems.push(
            `hosts.${one.name}.address: ${one.address} is not in ${site.network}, the network of ${site.name}.`,
          );
      }
      if (!one.address.startsWith("127."))
        problems.push(`hosts.${one.name}.address: stand-ins listen on loopback addresses (127.x.y.z) only.`);
      if (one.on !== undefined && !before.has(one.on) && named.has(one.on))
        problems.push(`hosts.${one.name}.on: write ${one.on} before its virtual machines.`);
      before.add(one.name);
      const below = one.on === undefined ? undefined : named.get(one.on);
      if (one.on !== undefined && !below) this.missing(`hosts.${one.name}.on`, "host", one.on, named.keys());
      else if (below && scenario.roles[below.role]?.system !== "hypervisor")
        problems.push(`hosts.${one.name}.on: ${one.on} is no hypervisor. Give its role the system “hypervisor”.`);
      if (addresses.has(one.address)) problems.push(`hosts.${one.name}.address: ${one.address} is used twice.`);
      addresses.add(one.address);
    }
  }

  /** Everything that comes in from outside, or is told to it. */
  clouds(): void {
    const { scenario, named } = this;
    for (const cloud of scenario.clouds) {
      const place = `clouds.${cloud.name}`;
      if (!cloud.address.startsWith("127."))
        this.problems.push(`${place}.address: stand-ins listen on loopback addresses (127.x.y.z) only.`);
      const zones = new Map(cloud.regions.map((one) => [one.id, one.zones]));
      const region = (at: string, id: string) => {
        if (!zones.has(id)) this.missing(`${place}.${at}.region`, "region", id, zones.keys());
      };
      for (const one of cloud.instances) {
        if (!named.has(one.host)) this.missing(`${place}.instances`, "host", one.host, named.keys());
        else if (named.get(one.host)?.on !== undefined)
          this.problems.push(`${place}.instances.${one.host}: it is on a hypervisor of ours already.`);
        region(`instances.${one.host}`, one.region);
        if (zones.get(one.region)?.includes(one.zone) === false)
          this.missing(`${place}.instances.${one.host}.zone`, "zone", one.zone, zones.get(one.region) ?? []);
      }
      for (const [name, list] of Object.entries({
        balancers: cloud.balancers,
        buckets: cloud.buckets,
        databases: cloud.databases,
        functions: cloud.functions,
        networks: cloud.networks,
      }))
        for (const one of list) region(`${name}.${one.name}`, one.region);
      for (const one of cloud.balancers) this.processIn(`${place}.balancers.${one.name}`, one.role, one.process);
    }
  }

  clusters(): void {
    const { scenario, named } = this;
    for (const { host, address } of scenario.controllers) {
      if (!named.has(host)) this.missing(`controllers.${host}`, "host", host, named.keys());
      if (!address.startsWith("127."))
        this.problems.push(`controllers.${host}.address: stand-ins listen on loopback addresses (127.x.y.z) only.`);
    }
    for (const cloud of scenario.privateClouds) {
      if (!cloud.address.startsWith("127."))
        this.problems.push(
          `privateClouds.${cloud.name}.address: stand-ins listen on loopback addresses (127.x.y.z) only.`,
        );
      for (const region of cloud.regions)
        for (const host of region.hypervisors)
          if (!named.has(host))
            this.missing(`privateClouds.${cloud.name}.regions.${region.id}`, "host", host, named.keys());
    }
    for (const manager of scenario.managers) {
      if (!manager.address.startsWith("127."))
        this.problems.push(
          `managers.${manager.name}.address: stand-ins listen on loopback addresses (127.x.y.z) only.`,
        );
      for (const cluster of manager.clusters)
        for (const host of cluster.hypervisors)
          if (!named.has(host))
            this.missing(`managers.${manager.name}.clusters.${cluster.id}`, "host", host, named.keys());
    }
    for (const cluster of scenario.clusters) {
      const place = `clusters.${cluster.name}`;
      if (!cluster.address.startsWith("127."))
        this.problems.push(`${place}.address: stand-ins listen on loopback addresses (127.x.y.z) only.`);
      for (const node of cluster.nodes)
        if (!named.has(node)) this.missing(`${place}.nodes`, "host", node, named.keys());
    }
  }

  private processIn(place: string, role: string, process: string): void {
    if (!this.scenario.roles[role]) this.missing(`${place}.role`, "role", role, Object.keys(this.scenario.roles));
    else if (!this.processesOf(role).some((one) => one.name === process))
      this.missing(
        `${place}.process`,
        "process",
        process,
        this.processesOf(role).map((one) => one.name),
      );
  }

  outside(): void {
    const { scenario, named, siteIds } = this;
    if (scenario.names && !scenario.names.address.startsWith("127."))
      this.problems.push("names.address: stand-ins listen on loopback addresses (127.x.y.z) only.");
    if (scenario.observer !== undefined && !siteIds.has(scenario.observer))
      this.missing("observer", "site", scenario.observer, siteIds);
    scenario.links.forEach((link, index) => this.sites(`links.${index}`, link.between));
    for (const load of scenario.loads) {
      this.operation(`loads.${load.name}.to`, load.to.role, load.to.process, load.to.operation);
      this.rhythm(`loads.${load.name}.rhythm`, load.rhythm);
    }
    for (const queue of scenario.queues) {
      const { role, process, operation } = queue.consumer;
      this.operation(`queues.${queue.name}.consumer`, role, process, operation);
      if (!Object.values(scenario.roles).some((one) => one.processes.some((each) => each.name === queue.broker)))
        this.missing(`queues.${queue.name}.broker`, "process", queue.broker, []);
    }
    for (const job of scenario.jobs) {
      const process = this.onHost(`jobs.${job.name}`, job.host, job.process);
      for (const call of job.calls) if (process) this.call(`jobs.${job.name}`, process, call.to, call.operation);
    }
    for (const one of scenario.figures) {
      const place = `figures.${one.metric}`;
      if (!named.has(one.host)) this.missing(`${place}.host`, "host", one.host, named.keys());
      if (one.rhythm !== undefined) this.rhythm(`${place}.rhythm`, one.rhythm);
      if (one.waiting !== undefined && !scenario.queues.some((queue) => queue.name === one.waiting))
        this.missing(
          `${place}.waiting`,
          "queue",
          one.waiting,
          scenario.queues.map((queue) => queue.name),
        );
      for (const asked of [one.counts, one.lasts]) if (asked) this.anyOperation(place, asked.process, asked.operation);
      if ([one.counts, one.waiting, one.lasts, one.rhythm].every((each) => each === undefined))
        this.problems.push(`${place}: say what it is: “counts”, “waiting”, “lasts” or “rhythm” with low and high.`);
    }
    for (const one of scenario.upgrades) this.onHost("upgrades", one.host, one.process);
    for (const one of scenario.past)
      if (!this.faultIds.has(one.fault)) this.missing("past", "fault", one.fault, this.faultIds);
  }

  private rhythm(place: string, id: string): void {
    if (!(id in this.scenario.rhythms)) this.missing(place, "rhythm", id, Object.keys(this.scenario.rhythms));
  }

  private sites(place: string, between: readonly string[]): void {
    for (const site of between) if (!this.siteIds.has(site)) this.missing(place, "site", site, this.siteIds);
  }

  private operation(place: string, role: string, process: string, operation: string): void {
    if (!this.scenario.roles[role]) return this.missing(place, "role", role, Object.keys(this.scenario.roles));
    const found = this.processesOf(role).find((one) => one.name === process);
    if (!found)
      return this.missing(
        place,
        `process in role ${role} named`,
        process,
        this.processesOf(role).map((one) => one.name),
      );
    if (!found.operations.some((one) => one.name === operation))
      this.missing(
        place,
        `operation of ${process} named`,
        operation,
        found.operations.map((one) => one.name),
      );
  }

  private anyOperation(place: string, process: string, operation: string): void {
    const all = Object.values(this.scenario.roles).flatMap((one) =>
      one.processes.filter((each) => each.name === process),
    );
    if (!all.length) this.missing(place, "process", process, []);
    else if (!all.some((one) => one.operations.some((each) => each.name === operation)))
      this.missing(
        place,
        `operation of ${process} named`,
        operation,
        all.flatMap((one) => one.operations.map((each) => each.name)),
      );
  }

  private onHost(place: string, host: string, process: string): ScenarioProcess | undefined {
    const role = this.named.get(host)?.role;
    if (role === undefined) {
      this.missing(`${place}.host`, "host", host, this.named.keys());
      return undefined;
    }
    const found = this.processOn(host, process);
    if (!found)
      this.missing(
        `${place}.process`,
        `process on ${host} named`,
        process,
        this.processesOf(role).map((one) => one.name),
      );
    return found;
  }

  faults(): void {
    for (const one of this.scenario.faults) {
      one.effects.forEach((effect, index) => this.effect(`faults.${one.id}.effects.${index}`, effect));
      one.endedBy.forEach((repair, index) => this.repair(`faults.${one.id}.endedBy.${index}`, repair));
      if (one.change) {
        if (one.change.process !== undefined)
          this.onHost(`faults.${one.id}.change`, one.change.host, one.change.process);
        else if (!this.named.has(one.change.host))
          this.missing(`faults.${one.id}.change.host`, "host", one.change.host, this.named.keys());
      }
    }
    if (this.faultIds.size !== this.scenario.faults.length) this.problems.push("faults: two faults have the same id.");
  }

  private effect(place: string, effect: ScenarioEffect): void {
    const { scenario, named } = this;
    if (effect.what === "link") {
      if (effect.between) return this.sites(`${place}.between`, effect.between);
      const host = effect.host === undefined ? undefined : named.get(effect.host);
      if (!host) return this.missing(`${place}.host`, "host", effect.host ?? "", named.keys());
      if (host.on !== undefined)
        this.problems.push(`${place}.host: ${host.name} hangs on the line of ${host.on}. Name ${host.on}.`);
      return;
    }
    if (effect.what === "load") {
      if (!scenario.loads.some((one) => one.name === effect.load))
        this.missing(
          `${place}.load`,
          "load",
          effect.load,
          scenario.loads.map((one) => one.name),
        );
      return;
    }
    if (effect.what === "job") {
      if (!scenario.jobs.some((one) => one.name === effect.job))
        this.missing(
          `${place}.job`,
          "job",
          effect.job,
          scenario.jobs.map((one) => one.name),
        );
      return;
    }
    const hosts = this.targets(place, effect);
    for (const host of hosts) this.effectOn(place, effect, host);
  }

  private targets(place: string, effect: { host?: string | undefined; role?: string | undefined }): string[] {
    if ((effect.host === undefined) === (effect.role === undefined)) {
      this.problems.push(`${place}: name either a host or a role.`);
      return [];
    }
    if (effect.host !== undefined) {
      if (this.named.has(effect.host)) return [effect.host];
      this.missing(`${place}.host`, "host", effect.host, this.named.keys());
      return [];
    }
    const all = this.scenario.hosts.filter((one) => one.role === effect.role).map((one) => one.name);
    if (!all.length)
      this.missing(`${place}.role`, "role with hosts", effect.role ?? "", Object.keys(this.scenario.roles));
    return all.slice(0, 1);
  }

  private effectOn(place: string, effect: ScenarioEffect, host: string): void {
    const role = this.scenario.roles[this.named.get(host)?.role ?? ""];
    if ("process" in effect) {
      const process = this.onHost(place, host, effect.process);
      if (process && "operation" in effect && effect.operation !== undefined)
        if (!process.operations.some((one) => one.name === effect.operation))
          this.missing(
            `${place}.operation`,
            `operation of ${process.name} named`,
            effect.operation,
            process.operations.map((one) => one.name),
          );
      if (process && effect.what === "pool" && !process.talksTo.some((one) => one.process === effect.target))
        this.missing(
          `${place}.target`,
          "entry of talksTo for the process",
          effect.target,
          process.talksTo.map((one) => one.process),
        );
    }
    const mounts = role?.disks.map((one) => one.mount) ?? [];
    if ("mount" in effect && !mounts.includes(effect.mount))
      this.missing(`${place}.mount`, `disk of ${host} mounted at`, effect.mount, mounts);
    const containers = role?.containers.map((one) => one.name) ?? [];
    if (effect.what === "quota" && !containers.includes(effect.container))
      this.missing(`${place}.container`, `container on ${host} named`, effect.container, containers);
    if (effect.what === "resize" && !this.named.get(host)?.on)
      this.problems.push(`${place}.host: ${host} is no virtual machine. Name one that has “on”.`);
    if (effect.what === "put-in" && !this.named.get(host)?.spare)
      this.problems.push(`${place}.host: ${host} is in already. Give it “spare”: true.`);
    if (effect.what === "closed-to" && !this.scenario.roles[effect.target])
      this.missing(`${place}.target`, "role", effect.target, Object.keys(this.scenario.roles));
  }

  private repair(place: string, repair: ScenarioRepair): void {
    if (repair.do === "mend-link") {
      if (repair.between) this.sites(`${place}.between`, repair.between);
      else if (!this.named.has(repair.host ?? ""))
        this.missing(`${place}.host`, "host", repair.host ?? "", this.named.keys());
      return;
    }
    if ("process" in repair) this.onHost(place, repair.host, repair.process);
    else if (!this.named.has(repair.host)) this.missing(`${place}.host`, "host", repair.host, this.named.keys());
  }

  /** An answer may name a container as well as the process in it. */
  private isContainer(host: string, container: string): boolean {
    const role = this.scenario.roles[this.named.get(host)?.role ?? ""];
    return role?.containers.some((one) => one.name === container) ?? false;
  }

  /** Names of regions and networks of clouds, and of clusters. */
  private get platformNames(): Set<string> {
    const { clouds, clusters } = this.scenario;
    return new Set([
      ...clouds.flatMap((cloud) => [...cloud.regions, ...cloud.networks].map((one) => one.name)),
      ...clusters.map((one) => one.title),
    ]);
  }

  drills(): void {
    for (const one of this.scenario.drills) {
      const place = `drills.${one.id}`;
      for (const each of one.faults)
        if (!this.faultIds.has(each.fault)) this.missing(`${place}.faults`, "fault", each.fault, this.faultIds);
      one.benign.forEach((effect, index) => this.effect(`${place}.benign.${index}`, effect));
      for (const thing of one.answer.roots.flat()) {
        if (thing.between) this.sites(`${place}.answer.roots`, thing.between);
        else if (thing.platform !== undefined) {
          if (!this.platformNames.has(thing.platform))
            this.missing(`${place}.answer.roots`, "platform", thing.platform, this.platformNames);
        } else if (thing.process !== undefined && !this.isContainer(thing.host ?? "", thing.process))
          this.onHost(`${place}.answer.roots`, thing.host ?? "", thing.process);
        else if (!this.named.has(thing.host ?? ""))
          this.missing(`${place}.answer.roots`, "host", thing.host ?? "", this.named.keys());
      }
    }
  }

  outputs(): void {
    const { scenario } = this;
    const processNames = new Set([
      "switch",
      ...Object.values(scenario.roles).flatMap((one) => one.processes.map((process) => process.name)),
    ]);
    for (const [id, one] of Object.entries(scenario.outputs)) {
      if (!processNames.has(id)) this.missing("outputs", "process", id, processNames);
      for (const line of one.lines) {
        if (line.during && !this.faultIds.has(line.during))
          this.missing(`outputs.${id}.lines`, "fault", line.during, this.faultIds);
        if (line.when?.of !== undefined && !processNames.has(line.when.of))
          this.missing(`outputs.${id}.lines`, "process", line.when.of, processNames);
        for (const [, word] of line.text.matchAll(/\{([a-z-]+)\}/g))
          if (word && !["number", "id", "address"].includes(word) && !(word in scenario.words))
            this.missing(`outputs.${id}.lines`, "list of words", word, Object.keys(scenario.words));
      }
    }
  }
}
