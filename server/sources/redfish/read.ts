import { Agent as HttpAgent } from "node:http";
import { Agent as HttpsAgent } from "node:https";
import { destinationsCover } from "#core/estate/destinations";
import { jsonOf, type HardwareDocuments, type Json } from "#core/platforms/hardware/machine";
import { listOf } from "#core/platforms/thing";
import { fetchText, OutsideFailure } from "../../outside/fetch-text";
import { secureContextOf } from "../../outside/trust";
import type { Access } from "../../vault/kinds";
import { PlatformFailure, SilentFailure } from "../platform/failure";

const ROOT = "/redfish/v1/";
const CALL_MS = 15_000;
const MOST_BYTES = 2 * 1024 * 1024;
/** Resources of one controller that are read; more is none that anybody sells. */
const MOST_RESOURCES = 400;
const MOST_SYSTEMS = 16;
const MOST_LOGS = 4;
/** Entries of a log that are read: the latest, which stand last. */
const MOST_ENTRIES = 60;
const MOST_CHASSIS = 16;
const MOST_DRIVES = 200;

export interface ControllerPlace {
  address: string;
  port: number;
  tls: boolean;
  authority: string;
  access: readonly Access[];
}

/** Reads the machines that a management controller looks after. Throws a PlatformFailure. */
export async function readController(place: ControllerPlace, signal: AbortSignal): Promise<HardwareDocuments[]> {
  const reader = new Reader(place, signal);
  try {
    const root = await reader.get(ROOT);
    const systems = await reader.members(root.Systems, MOST_SYSTEMS);
    if (systems.length === 0) throw new PlatformFailure("It looks after no machine, or does not say so.");
    return await Promise.all(systems.map((system) => reader.machine(system)));
  } finally {
    reader.close();
  }
}

class Reader {
  private readonly agent: HttpAgent;
  private readonly access: Access;
  private readonly root: string;
  private readonly known = new Map<string, Promise<Json>>();

  constructor(
    { address, port, tls, authority, access }: ControllerPlace,
    private readonly signal: AbortSignal,
  ) {
    const own = access.find((one) => one.kind === "basic" && destinationsCover(one.destinations, address));
    if (!own) throw new PlatformFailure(`No HTTP user and password of the source is for ${address}.`);
    this.access = own;
    this.root = `${tls ? "https" : "http"}://${address.includes(":") ? `[${address}]` : address}:${port}`;
    this.agent = tls
      ? new HttpsAgent({ keepAlive: true, secureContext: secureContextOf(authority) })
      : new HttpAgent({ keepAlive: true });
  }

  close(): void {
    this.agent.destroy();
  }

  /** A resource; each is asked for once. */
  get(path: string): Promise<Json> {
    let one = this.known.get(path);
    if (!one) {
      if (this.known.size >= MOST_RESOURCES) throw new PlatformFailure(`It has more than ${MOST_RESOURCES} resources.`);
      this.known.set(path, (one = this.ask(path)));
    }
    return one;
  }

  private async ask(path: string): Promise<Json> {
    // A controller leads to its own resources only.
    if (!/^\/redfish\/v1(\/|$)/.test(path))
      throw new PlatformFailure(`It points to “${path.slice(0, 80)}”, which is none of its resources.`);
    try {
      const { status, text } = await fetchText(
        `${this.root}${path}`,
        { timeoutMs: CALL_MS, mostBytes: MOST_BYTES },
        {
          headers: { accept: "application/json", "odata-version": "4.0" },
          access: this.access,
          agent: this.agent,
          signal: this.signal,
        },
      );
      if (status === 401 || status === 403)
        throw new PlatformFailure(`It does not take the user and password (${status}).`, status);
      if (status !== 200) throw new PlatformFailure(`It answers ${status} at ${path}.`, status);
      return jsonOf(JSON.parse(text));
    } catch (error) {
      if (error instanceof OutsideFailure)
        throw path === ROOT ? new SilentFailure(error.message) : new PlatformFailure(error.message);
      if (error instanceof SyntaxError) throw new PlatformFailure(`The answer at ${path} is no JSON.`);
      throw error;
    }
  }

  /** What a link leads to; undefined where there is none, or it cannot be read. */
  async linked(link: unknown): Promise<Json | undefined> {
    const path = jsonOf(link)["@odata.id"];
    if (typeof path !== "string") return undefined;
    return this.get(path).catch((error: unknown) => {
      // One part that fails does not hide the others; being refused or silence does.
      if (error instanceof PlatformFailure && error.status > 0 && error.status !== 401 && error.status !== 403)
        return undefined;
      throw error;
    });
  }

  /** Members of a collection, over all its pages (DSP0266 §7.3 Members@odata.nextLink). */
  async members(link: unknown, most: number): Promise<Json[]> {
    const found: Json[] = [];
    let page = await this.linked(link);
    for (let count = 0; page && count < 20 && found.length < most; count++) {
      const members = await Promise.all(
        listOf(page.Members)
          .slice(0, most - found.length)
          .map((one) => this.linked(one)),
      );
      found.push(...members.filter((one) => one !== undefined));
      const next: unknown = page["Members@odata.nextLink"];
      page = typeof next === "string" ? await this.linked({ "@odata.id": next }) : undefined;
    }
    return found;
  }

  /** Entries of all logs; those of a log mostly come with its list. */
  private async logOf(owners: readonly (Json | undefined)[]): Promise<Json[]> {
    const entries: Json[] = [];
    for (const owner of owners) {
      const services = await this.members(owner?.LogServices, MOST_LOGS);
      for (const service of services) {
        const list = await this.linked(service.Entries);
        for (const one of listOf(list?.Members).slice(-MOST_ENTRIES)) {
          const entry = jsonOf(one);
          entries.push("Severity" in entry || "Message" in entry ? entry : ((await this.linked(entry)) ?? {}));
        }
      }
    }
    return entries;
  }

  async machine(system: Json): Promise<HardwareDocuments> {
    const links = jsonOf(system.Links);
    const chassis = (
      await Promise.all(
        listOf(links.Chassis)
          .slice(0, MOST_CHASSIS)
          .map((one) => this.linked(one)),
      )
    ).filter((one) => one !== undefined);
    const units = await this.members(system.Storage, MOST_SYSTEMS);
    const drives = await Promise.all(
      units
        .flatMap((one) => listOf(one.Drives))
        .slice(0, MOST_DRIVES)
        .map((one) => this.linked(one)),
    );
    const [manager] = await Promise.all(
      listOf(links.ManagedBy)
        .slice(0, 1)
        .map((one) => this.linked(one)),
    );
    return {
      system,
      chassis: await Promise.all(
        chassis.map(async (one) => {
          const [power, thermal] = await Promise.all([this.linked(one.Power), this.linked(one.Thermal)]);
          return { chassis: one, ...(power ? { power } : {}), ...(thermal ? { thermal } : {}) };
        }),
      ),
      drives: drives.filter((one) => one !== undefined),
      ...(manager ? { manager } : {}),
      log: await this.logOf([system, manager]),
    };
  }
}
