import { z } from "zod";
import { destinationsCover } from "#core/estate/destinations";
import { SERVICE_LABELS, SERVICES } from "#core/platforms/private-cloud/mapping";
import { mappingSchema, type Mapping } from "#core/platforms/mapping";
import { fetchText, OutsideFailure } from "../../outside/fetch-text";
import type { Access } from "../../vault/kinds";
import { RestClient, type Answered, type Asked } from "../platform/client";
import { PlatformFailure } from "../platform/failure";

const SIGN_IN_MS = 15_000;
const MOST_BYTES = 4 * 1024 * 1024;
/** Renewed so long before it ends. */
const MARGIN_MS = 60_000;
const MOST_ENDPOINTS = 2000;
/** Pages of ports, and instances of one network, that are looked at. */
const MOST_PORT_PAGES = 500;
const MOST_DEVICES = 500;

const text = z.string().min(1).max(400);
const tokenSchema = z.object({
  token: z.object({
    expires_at: z.string().max(60),
    project: z.object({ id: text, name: text }),
    catalog: z
      .array(
        z.object({
          type: text,
          endpoints: z
            .array(
              z.object({
                interface: z.string(),
                region_id: z.string().nullish(),
                region: z.string().nullish(),
                url: z.string().max(1000),
              }),
            )
            .max(500),
        }),
      )
      .max(200)
      .default([]),
  }),
});

export interface CatalogueOptions {
  /** Root of the identity service, with /v3 or without. */
  address: string;
  authority: string;
  project: string;
  domain: string;
  access: readonly Access[];
  signal: AbortSignal;
}

/** A token and where it is good for: the root of each service in each region. */
interface Session {
  token: string;
  untilMs: number;
  account: { id: string; name: string };
  regions: string[];
  roots: Map<string, URL>;
  clients: Map<string, RestClient>;
}

/** Asks the services of a private cloud where its catalogue says they are: paths begin with a service and a region. */
export class CatalogueClient {
  private failed = 0;

  constructor(
    private readonly options: CatalogueOptions,
    private readonly shared: { session: Promise<Session> | undefined } = { session: undefined },
  ) {}

  get failures(): number {
    return this.failed;
  }

  /** For another look: with an end of its own, while token and connections are shared. */
  under(signal: AbortSignal): CatalogueClient {
    return new CatalogueClient({ ...this.options, signal }, this.shared);
  }

  /** Ends its connections. */
  close(): void {
    const { session } = this.shared;
    this.shared.session = undefined;
    session?.then(closeAll, () => undefined);
  }

  async ask(asked: Asked): Promise<Answered> {
    const session = await this.signedIn();
    const [, service = "", region = "", ...rest] = asked.path.split("/");
    if (service === "catalogue") return { json: this.ownAnswer(session, region), nextPath: undefined };
    try {
      const answer = await this.askService(session, service, decodeURIComponent(region), {
        ...asked,
        path: `/${rest.join("/")}`,
      });
      return service === "network" && rest.at(-1)?.startsWith("networks")
        ? await this.withPorts(answer, region)
        : answer;
    } catch (error) {
      this.failed++;
      if (!(error instanceof PlatformFailure) || error.status !== 401) throw error;
      // A token that died early is asked for anew, once.
      if (this.shared.session && (await this.shared.session) === session) this.close();
      return this.askService(await this.signedIn(), service, decodeURIComponent(region), {
        ...asked,
        path: `/${rest.join("/")}`,
      });
    }
  }

  /**
   * Networks with the instances that have a port in each: the interface tells of networks and of ports apart. Where ports may
   * not be read, networks are told of without.
   */
  private async withPorts(answer: Answered, region: string): Promise<Answered> {
    const { networks } = (answer.json ?? {}) as { networks?: unknown };
    if (!Array.isArray(networks) || networks.length === 0) return answer;
    const devices = await this.devicesOf(region).catch((error: unknown) => {
      if (error instanceof PlatformFailure && (error.status === 403 || error.status === 404))
        return new Map<string, string[]>();
      throw error;
    });
    const joined = networks.map((one: object) => ({
      ...one,
      devices: devices.get(String((one as { id?: unknown }).id)) ?? [],
    }));
    return { ...answer, json: { ...(answer.json as object), networks: joined } };
  }

  /** Ids of instances by the network that they have a port in. */
  private async devicesOf(region: string): Promise<Map<string, string[]>> {
    const devices = new Map<string, string[]>();
    let path: string | undefined = `/network/${region}/v2.0/ports`;
    for (let page = 0; path !== undefined && page < MOST_PORT_PAGES; page++) {
      const asked: string = path;
      const { json } = await this.ask({ method: "GET", path: asked });
      const { ports, ports_links: links } = (json ?? {}) as { ports?: unknown; ports_links?: unknown };
      for (const one of Array.isArray(ports) ? ports : []) {
        const { network_id: network, device_id: device } = one as { network_id?: unknown; device_id?: unknown };
        if (typeof network !== "string" || typeof device !== "string" || device === "") continue;
        const own = devices.get(network) ?? [];
        if (own.length < MOST_DEVICES) own.push(device);
        devices.set(network, own);
      }
      const href: unknown = (Array.isArray(links) ? (links as { rel?: unknown; href?: unknown }[]) : []).find(
        (one) => one.rel === "next",
      )?.href;
      path = typeof href === "string" ? await this.pathOf(href, asked) : undefined;
    }
    return devices;
  }

  /** An address in an answer as a path of ours; relative ones are of the service that answered. */
  async pathOf(target: string, asked = ""): Promise<string> {
    const session = await this.signedIn();
    const [, service = "", region = ""] = asked.split("/");
    const own = session.roots.get(`${service} ${decodeURIComponent(region)}`);
    if (!own || !URL.canParse(target, own.href))
      throw new PlatformFailure("The address of the next page cannot be read.");
    const url = new URL(target, own.href);
    // Behind a proxy services often write addresses of their own; the place below their root is what counts.
    const root = own.pathname.replace(/\/$/, "");
    const at = url.pathname.startsWith(`${root}/`) ? url.pathname.slice(root.length) : url.pathname;
    return `/${service}/${region}${at}${url.search}`;
  }

  private ownAnswer({ account, regions }: Session, what: string): unknown {
    return what === "account" ? account : { regions: regions.map((id) => ({ id })) };
  }

  private askService(session: Session, service: string, region: string, asked: Asked): Promise<Answered> {
    const root = session.roots.get(`${service} ${region}`);
    if (!root)
      throw new PlatformFailure(
        `The catalogue has no ${SERVICE_LABELS[service] ?? service} service in ${region}.`,
        404,
      );
    const key = root.href;
    let client = session.clients.get(key);
    if (!client) {
      client = new RestClient({
        address: root.href.replace(/\/$/, ""),
        authority: this.options.authority,
        mapping: CALLS,
        access: [{ ...this.reader(), kind: "bearer", fields: { token: session.token } }],
        signal: NEVER,
      });
      session.clients.set(key, client);
    }
    return client.under(this.options.signal).ask(asked);
  }

  private reader(): Access {
    const found = this.options.access.find((one) => one.kind === "basic");
    if (!found)
      throw new PlatformFailure(
        "It signs in with a user and a password (HTTP user and password). Add such a credential to the source.",
      );
    return found;
  }

  private signedIn(): Promise<Session> {
    const { shared } = this;
    shared.session ??= this.signIn();
    const own = shared.session;
    return own.then(
      (session) => {
        if (session.untilMs > Date.now()) return session;
        if (shared.session === own) {
          shared.session = this.signIn();
          closeAll(session);
        }
        return shared.session as Promise<Session>;
      },
      (error: unknown) => {
        // Tried again with the next question.
        if (shared.session === own) shared.session = undefined;
        throw error;
      },
    );
  }

  private async signIn(): Promise<Session> {
    const { address, authority, project, domain, signal } = this.options;
    const reader = this.reader();
    const base = new URL(address);
    const host = base.hostname.replace(/^\[|\]$/g, "");
    if (!destinationsCover(reader.destinations, host))
      throw new PlatformFailure(`${reader.name} is not for ${host}. Add it to its destinations first.`);
    const root = base.href.replace(/\/$/, "");
    const url = `${root}${root.endsWith("/v3") ? "" : "/v3"}/auth/tokens`;
    const body = JSON.stringify({
      auth: {
        identity: {
          methods: ["password"],
          password: {
            user: { name: reader.fields.user ?? "", password: reader.fields.password ?? "", domain: { name: domain } },
          },
        },
        scope: { project: { name: project, domain: { name: domain } } },
      },
    });
    let answer;
    try {
      answer = await fetchText(
        url,
        { timeoutMs: SIGN_IN_MS, mostBytes: MOST_BYTES },
        {
          method: "POST",
          headers: { "content-type": "application/json", accept: "application/json" },
          body,
          access: undefined,
          signal,
          ...(authority ? { authority } : {}),
        },
      );
    } catch (error) {
      if (error instanceof OutsideFailure) throw new PlatformFailure(error.message);
      throw error;
    }
    if (answer.status === 401)
      throw new PlatformFailure(
        `Signing in was refused: the user, the password, the project “${project}” or the domain “${domain}” is not known there.`,
        401,
      );
    const token = answer.headers["x-subject-token"];
    let json: unknown;
    try {
      json = JSON.parse(answer.text);
    } catch {
      json = undefined;
    }
    const read = tokenSchema.safeParse(json);
    if (answer.status < 200 || answer.status >= 300 || !token || !read.success)
      throw new PlatformFailure(
        `What answers at ${url} is no identity service (version 3): it said ${answer.status}${read.success || answer.status >= 300 ? "" : ", and no token of a project with a catalogue"}.`,
        answer.status,
      );
    return this.sessionOf(String(token).slice(0, 8192), read.data.token, reader);
  }

  private sessionOf(token: string, read: z.infer<typeof tokenSchema>["token"], reader: Access): Session {
    const roots = new Map<string, URL>();
    const regions = new Set<string>();
    let endpoints = 0;
    for (const [service, types] of Object.entries(SERVICES)) {
      // The first type that there is: others are older names of the same.
      const entry = types.flatMap((type) => read.catalog.find((one) => one.type === type) ?? [])[0];
      for (const one of entry?.endpoints ?? []) {
        if (one.interface !== "public" || ++endpoints > MOST_ENDPOINTS || !URL.canParse(one.url)) continue;
        const url = new URL(one.url);
        const host = url.hostname.replace(/^\[|\]$/g, "");
        // The token goes to places that the credential is for, wherever the catalogue points.
        if (!/^https?:$/.test(url.protocol) || !destinationsCover(reader.destinations, host)) continue;
        const region = one.region_id ?? one.region ?? "";
        if (region === "" || region.length > 80) continue;
        regions.add(region);
        roots.set(`${service} ${region}`, url);
      }
    }
    const until = Date.parse(read.expires_at);
    return {
      token,
      untilMs: (Number.isFinite(until) ? until : Date.now() + 300_000) - MARGIN_MS,
      account: { id: read.project.id, name: read.project.name },
      regions: [...regions].sort(),
      roots,
      clients: new Map(),
    };
  }
}

const NEVER = new AbortController().signal;
const closeAll = ({ clients }: Session): void => {
  for (const one of clients.values()) one.close();
};

/** How each service is asked: with the token, in a header of its own. */
const CALLS: Mapping = mappingSchema.parse({
  name: "Private cloud",
  signIn: { scheme: "key", header: "X-Auth-Token" },
  limits: { perSecond: 100, atOnce: 8 },
  account: { path: "/", id: "id", name: "id" },
  lists: [{ name: "any", path: "/", kind: "storage.volume", key: "id", label: "id" }],
});
