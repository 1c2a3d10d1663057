import { randomBytes } from "node:crypto";
import { createServer, type Server } from "node:http";
import type { ScenarioPrivateCloud } from "../scenario/schema";
import type { Estate } from "../seen/estate";
import { idOf, PrivateCloudObjects } from "./objects";

/** Tokens live so long, in the machine's time. */
const TOKEN_MS = 60 * 60_000;
/** No page is longer, whatever is asked for. */
const PAGE = 100;
const HANG_MS = 60_000;
const MOST_BODY = 64 * 1024;

interface Answer {
  status: number;
  body?: unknown;
  headers?: Record<string, string>;
}

const notFound: Answer = { status: 404, body: { itemNotFound: { code: 404, message: "There is no such thing." } } };

/** What the identity service says is where, by region. */
function catalogOf(cloud: ScenarioPrivateCloud, root: string, projectId: string): object[] {
  const endpoints = (path: (region: string) => string) =>
    cloud.regions.flatMap(({ id }) => [
      { interface: "public", region_id: id, region: id, url: `${root}${path(id)}` },
      { interface: "internal", region_id: id, region: id, url: `http://10.0.0.1${path(id)}` },
    ]);
  return [
    {
      type: "identity",
      name: "identity",
      endpoints: [{ interface: "public", region_id: null, region: null, url: `${root}/identity` }],
    },
    { type: "compute", name: "compute", endpoints: endpoints((id) => `/compute/${id}/v2.1`) },
    { type: "volumev3", name: "volume", endpoints: endpoints((id) => `/volume/${id}/v3/${projectId}`) },
    { type: "network", name: "network", endpoints: endpoints((id) => `/network/${id}`) },
    { type: "image", name: "image", endpoints: endpoints((id) => `/image/${id}`) },
  ];
}

/** Whether somebody who signs in is the one user of the one project. */
function isKnown(body: string, cloud: ScenarioPrivateCloud): boolean {
  const { auth } = JSON.parse(body) as {
    auth?: {
      identity?: { password?: { user?: { name?: string; password?: string; domain?: { name?: string } } } };
      scope?: { project?: { name?: string } };
    };
  };
  const user = auth?.identity?.password?.user;
  return (
    user?.name === cloud.user &&
    user.password === cloud.password &&
    user.domain?.name === "Default" &&
    auth?.scope?.project?.name === cloud.project
  );
}

/** Who signed in, until when. */
class Tokens {
  private readonly until = new Map<string, number>();

  constructor(
    private readonly cloud: PrivateCloudObjects["cloud"],
    private readonly projectId: string,
    private readonly catalog: ReturnType<typeof catalogOf>,
  ) {}

  signIn(body: string): Answer {
    if (!isKnown(body, this.cloud))
      return {
        status: 401,
        body: { error: { code: 401, message: "The request you have made requires authentication." } },
      };
    for (const [token, until] of this.until) if (until < Date.now()) this.until.delete(token);
    const token = randomBytes(24).toString("base64url");
    this.until.set(token, Date.now() + TOKEN_MS);
    return {
      status: 201,
      headers: { "x-subject-token": token },
      body: {
        token: {
          methods: ["password"],
          expires_at: new Date(Date.now() + TOKEN_MS).toISOString(),
          project: { id: this.projectId, name: this.cloud.project, domain: { name: "Default" } },
          catalog: this.catalog,
        },
      },
    };
  }

  holds(token: string): boolean {
    const until = this.until.get(token);
    return until !== undefined && until >= Date.now();
  }
}

/** Serves identity and the other services of a private cloud by their paths on one port. */
export function startPrivateCloud(objects: PrivateCloudObjects, now: () => number): Promise<Server> {
  const { cloud } = objects;
  const root = `http://${cloud.address}:${cloud.port}`;
  const projectId = idOf(`project ${cloud.project}`).replaceAll("-", "");
  const tokens = new Tokens(cloud, projectId, catalogOf(cloud, root, projectId));

  function answer(url: URL, atMs: number): Answer | "hang" {
    const [, service, regionId, ...rest] = url.pathname.split("/");
    const region = cloud.regions.find((one) => one.id === regionId);
    if (!region) return notFound;
    if (objects.isCut(region, atMs)) return "hang";
    const what = `${service} ${rest.filter((one) => !/^v\d/.test(one) && one !== projectId).join("/")}`;
    const listed: Record<string, () => [string, object[]]> = {
      "compute servers/detail": () => ["servers", objects.servers(region, atMs)],
      "compute os-hypervisors/detail": () => ["hypervisors", objects.hypervisors(region, atMs)],
      "compute flavors/detail": () => ["flavors", objects.flavors()],
      "volume volumes/detail": () => ["volumes", objects.volumes(region, atMs)],
      "network ports": () => ["ports", objects.ports(region, atMs)],
      "network networks": () => ["networks", objects.networks(region)],
      "image images": () => ["images", objects.images()],
    };
    const list = listed[what]?.();
    if (list) return { status: 200, body: page(list[0], list[1], url, service === "image") };
    const id = /^compute servers\/([^/]+)\/diagnostics$/.exec(what)?.[1];
    const counters = id === undefined ? undefined : objects.diagnostics(region, id, atMs);
    return counters ? { status: 200, body: counters } : notFound;
  }

  const server = createServer(async (request, response) => {
    const send = ({ status, body = {}, headers = {} }: Answer) => {
      response.writeHead(status, { "content-type": "application/json", ...headers });
      response.end(JSON.stringify(body));
    };
    try {
      let body = "";
      for await (const part of request as AsyncIterable<Buffer>) {
        body += part.toString("utf8");
        if (body.length > MOST_BODY) return send({ status: 413 });
      }
      const url = new URL(request.url ?? "/", root);
      if (url.pathname === "/identity/v3/auth/tokens" && request.method === "POST") return send(tokens.signIn(body));
      if (!tokens.holds(String(request.headers["x-auth-token"] ?? "")))
        return send({ status: 401, body: { error: { message: "Unauthorized" } } });
      const answered = answer(url, now());
      if (answered === "hang") return void setTimeout(() => response.destroy(), HANG_MS).unref();
      send(answered);
    } catch (error) {
      send({ status: 500, body: { error: { message: error instanceof Error ? error.message : "failed" } } });
    }
  });
  server.keepAliveTimeout = 60_000;
  return new Promise((resolve, reject) => {
    server.once("error", reject);
    server.listen(cloud.port, cloud.address, () => resolve(server));
  });
}

/** A part of a list behind a marker, with the address of the next one. */
function page(name: string, items: object[], url: URL, isImage: boolean): object {
  const size = Math.min(PAGE, Math.max(1, Number(url.searchParams.get("limit") ?? PAGE)));
  const keyOf = (one: object) => String((one as { id: string | number }).id);
  const marker = url.searchParams.get("marker");
  const from = marker === null ? 0 : items.findIndex((one) => keyOf(one) === marker) + 1;
  const part = items.slice(from, from + size);
  const last = part.at(-1);
  if (from + size >= items.length || !last) return { [name]: part };
  const next = new URL(url);
  next.searchParams.set("marker", keyOf(last));
  return isImage
    ? { [name]: part, next: `${next.pathname.replace(/^\/image\/[^/]+/, "")}${next.search}` }
    : { [name]: part, [`${name}_links`]: [{ rel: "next", href: next.href }] };
}

/** Serves every private cloud of the scenario. */
export const startPrivateClouds = (estate: Estate, now: () => number): Promise<Server[]> =>
  Promise.all(
    estate.scenario.privateClouds.map((cloud: ScenarioPrivateCloud) =>
      startPrivateCloud(new PrivateCloudObjects(estate, cloud), now),
    ),
  );
