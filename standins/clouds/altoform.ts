import { createHash, randomBytes } from "node:crypto";
import type { CloudAnswer, CloudRequest, CloudShape } from "./serve";
import { ACCOUNT_DAYS, CloudCosts, type Charge } from "./costs";
import type { CloudView } from "./view";

/** Tokens live so long, in the machine's time. */
const TOKEN_MS = 10 * 60_000;
const PAGE = 100;

const notFound: CloudAnswer = { status: 404, body: { problem: { code: "no-such-thing" } } };

/**
 * The interface of Altoform: tokens by client credentials, everything asked for region by region, pages by cursor, names with
 * underlines, instants as text.
 */
export class Altoform implements CloudShape {
  private readonly tokens = new Map<string, number>();
  private readonly costs: CloudCosts;

  constructor(private readonly view: CloudView) {
    this.costs = new CloudCosts(view, view.anchorMs - ACCOUNT_DAYS * 86_400_000);
  }

  refusal({ url, method, headers, body }: CloudRequest): CloudAnswer | undefined {
    if (url.pathname === "/identity/token")
      return method === "POST" ? this.issue(headers.authorization ?? "", body) : notFound;
    const token = /^Bearer (\S+)$/.exec(headers.authorization ?? "")?.[1] ?? "";
    const until = this.tokens.get(token);
    if (until !== undefined && until > Date.now()) return undefined;
    return { status: 401, body: { problem: { code: "token-not-good", text: "The token is unknown or has ended." } } };
  }

  private issue(authorization: string, body: string): CloudAnswer {
    const [id, secret] = Buffer.from(authorization.replace(/^Basic /, ""), "base64")
      .toString("utf8")
      .split(":")
      .map(decodeURIComponent);
    const { reader } = this.view.cloud;
    if (
      id !== reader.id ||
      secret !== reader.secret ||
      new URLSearchParams(body).get("grant_type") !== "client_credentials"
    )
      return { status: 401, body: { error: "invalid_client" } };
    for (const [token, until] of this.tokens) if (until < Date.now()) this.tokens.delete(token);
    const token = randomBytes(24).toString("base64url");
    this.tokens.set(token, Date.now() + TOKEN_MS);
    return { status: 200, body: { access_token: token, token_type: "Bearer", expires_in: TOKEN_MS / 1000 } };
  }

  regionOf({ url }: CloudRequest): string | undefined {
    return /^\/v2\/regions\/([^/]+)\//.exec(url.pathname)?.[1];
  }

  answer({ url, atMs }: CloudRequest): CloudAnswer {
    const { cloud } = this.view;
    const [, version, area, region, what] = url.pathname.split("/");
    if (version !== "v2") return notFound;
    if (area === "account")
      return {
        status: 200,
        body: { account: { number: cloud.account.id, title: cloud.account.name, currency: cloud.charges.currency } },
      };
    if (area === "billing" && region === "usage") {
      const month = /^20\d\d-\d\d$/.exec(url.searchParams.get("month") ?? "")?.[0];
      if (!month) return { status: 400, body: { problem: { code: "say-the-month" } } };
      const lines = this.costs
        .ofMonth(Date.parse(`${month}-01T00:00:00Z`), atMs)
        .map((one) => usageOf(one, cloud.charges.currency));
      return page(lines, "usage", url);
    }
    if (area !== "regions") return notFound;
    if (region === undefined)
      return {
        status: 200,
        body: {
          regions: cloud.regions.map((one) => ({ code: one.id, title: one.name, zones: one.zones, open: true })),
        },
      };
    if (!cloud.regions.some((one) => one.id === region)) return notFound;
    if (what === "gauges") return this.gauges(url, region, atMs);
    const items = this.listed(what ?? "", region, atMs);
    return items ? page(items, what as string, url) : notFound;
  }

  private listed(what: string, region: string, atMs: number): unknown[] | undefined {
    const { view } = this;
    const here = <One extends { region: string }>(list: readonly One[]) => list.filter((one) => one.region === region);
    const tags = (map: Readonly<Record<string, string>>) => Object.entries(map).map(([k, v]) => ({ k, v }));
    switch (what) {
      case "machines":
        return here(view.machines(atMs)).map((one) => ({
          id: one.id,
          label: one.name,
          status: one.isRunning ? "active" : "stopped",
          plan: { code: one.size, cores: one.cores, memory_mib: one.memoryGiB * 1024 },
          image_ref: one.image,
          placed_in: one.zone,
          started_at: new Date(one.startedMs).toISOString(),
          hardware_uuid: one.uuid,
          guest_name: one.host,
          nics: [{ mac: one.hardware, private_ip: one.address, network: one.network }],
          drives: one.volumes,
          tags: tags(one.tags),
        }));
      case "drives":
        return here(view.volumes(atMs)).map((one) => ({
          id: one.id,
          label: one.name,
          size_gib: one.sizeGiB,
          attached_to: one.machine,
          placed_in: one.zone,
          kind: "solid",
        }));
      case "balancers":
        return here(view.balancers(atMs)).map((one) => ({
          id: one.id,
          label: one.name,
          port: one.port,
          members: one.targets.map((target) => ({ machine: target })),
          tags: tags(one.tags),
        }));
      case "stores":
        return here(view.buckets(atMs)).map((one) => ({
          id: one.id,
          label: one.name,
          bytes: Math.round(one.bytes),
          objects: one.objects,
          tags: tags(one.tags),
        }));
      case "databases":
        return here(view.databases(atMs)).map((one) => ({
          id: one.id,
          label: one.name,
          engine: one.engine,
          plan: { code: one.size },
          storage_gib: one.storageGiB,
          tags: tags(one.tags),
        }));
      case "functions":
        return here(view.functions(atMs)).map((one) => ({
          id: one.id,
          label: one.name,
          runtime: one.runtime,
          memory_mib: one.memoryMiB,
          tags: tags(one.tags),
        }));
      case "networks":
        return here(view.networks()).map((one) => ({ id: one.id, label: one.name, block: one.block }));
      default:
        return undefined;
    }
  }

  /** The latest value of each gauge of the named things. */
  private gauges(url: URL, region: string, atMs: number): CloudAnswer {
    const { view } = this;
    const wanted = new Set((url.searchParams.get("ids") ?? "").split(","));
    const taken = new Date(Math.floor(atMs / 1000) * 1000).toISOString();
    const rows: unknown[] = [];
    const put = (id: string, values: Readonly<Record<string, number>>) => {
      for (const [gauge, value] of Object.entries(values))
        rows.push({ id, gauge, value: Math.round(value * 1000) / 1000, taken_at: taken });
    };
    const here = <One extends { region: string; id: string }>(list: readonly One[]) =>
      list.filter((one) => one.region === region && wanted.has(one.id));
    switch (url.searchParams.get("of")) {
      case "machines":
        for (const one of here(view.machines(atMs))) {
          const { cpu, inBytes, outBytes, readBytes, writtenBytes } = view.figures(one, atMs);
          put(one.id, {
            cpu_share: cpu,
            rx_bytes_s: inBytes,
            tx_bytes_s: outBytes,
            drive_read_bytes_s: readBytes,
            drive_write_bytes_s: writtenBytes,
          });
        }
        break;
      case "drives":
        for (const one of here(view.volumes(atMs)))
          put(one.id, { reads_s: one.reads, writes_s: one.writes, wait_ms: one.latencyMs, busy_share: one.busy });
        break;
      case "balancers":
        for (const one of here(view.balancers(atMs)))
          put(one.id, {
            requests_s: one.perSecond,
            failed_share: one.failing,
            answer_ms: one.ms,
            members_well: one.healthy,
          });
        break;
      case "databases":
        for (const one of here(view.databases(atMs)))
          put(one.id, {
            cpu_share: one.cpu,
            sessions: one.connections,
            storage_share: one.usedShare,
            statement_ms: one.ms,
          });
        break;
      case "functions":
        for (const one of here(view.functions(atMs)))
          put(one.id, { calls_s: one.perSecond, failed_share: one.failing, run_ms: one.ms });
        break;
      default:
        return { status: 400, body: { problem: { code: "say-of-what" } } };
    }
    return { status: 200, body: { gauges: rows } };
  }
}

/** A part of a list; the cursor is a name for where the next one begins, and means nothing to others. */
function page(items: readonly unknown[], what: string, url: URL): CloudAnswer {
  const size = Math.min(PAGE, Math.max(1, Number(url.searchParams.get("most") ?? PAGE)));
  const cursor = url.searchParams.get("after") ?? "";
  const places = items.map((_, index) =>
    createHash("sha1").update(`${what} ${index}`).digest("base64url").slice(0, 12),
  );
  const at = cursor === "" ? 0 : places.indexOf(cursor);
  if (at < 0) return { status: 400, body: { problem: { code: "cursor-not-good" } } };
  const next = places[at + size];
  return {
    status: 200,
    body: { data: { [what]: items.slice(at, at + size) }, meta: { ...(next ? { next } : {}), total: items.length } },
  };
}

const day = (ms: number) => new Date(ms).toISOString().slice(0, 10);

/** A charge as it is written here: days as text, the end included. */
const usageOf = (one: Charge, currency: string) => ({
  line: one.id,
  first_day: day(one.fromMs),
  last_day: day(one.toMs - 1),
  product: one.product,
  family: one.family,
  type: one.kind,
  text: one.text,
  item: one.resource || null,
  item_label: one.name || null,
  region: one.region || null,
  quantity: one.quantity,
  unit: one.unit,
  at_list: one.list,
  amount: one.net,
  currency,
  tags: Object.entries(one.tags).map(([k, v]) => ({ k, v })),
});
