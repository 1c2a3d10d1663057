import { createHash, createHmac, timingSafeEqual } from "node:crypto";
import type { CloudAnswer, CloudRequest, CloudShape } from "./serve";
import { ACCOUNT_DAYS, CloudCosts, type Charge } from "./costs";
import type { CloudView } from "./view";

const PAGE = 50;
/** A signature is good for so long either way, in the machine's time. */
const SKEW_MS = 5 * 60_000;

const notFound: CloudAnswer = { status: 404, body: { message: "no such resource" } };

/**
 * The interface of Veldtline: signed requests, all regions in one list, pages by links in the header, names with humps,
 * instants as milliseconds, figures asked for with POST.
 */
export class Veldtline implements CloudShape {
  private readonly costs: CloudCosts;

  constructor(private readonly view: CloudView) {
    this.costs = new CloudCosts(view, view.anchorMs - ACCOUNT_DAYS * 86_400_000);
  }

  refusal({ method, url, headers, body }: CloudRequest): CloudAnswer | undefined {
    const { reader } = this.view.cloud;
    const refuse = (message: string): CloudAnswer => ({ status: 403, body: { message } });
    const time = String(headers["x-veldt-time"] ?? "");
    if (headers["x-veldt-key"] !== reader.id) return refuse("unknown key");
    if (!(Math.abs(Date.now() - Number(time)) < SKEW_MS)) return refuse("the time of the request is off");
    const over = [
      method,
      url.pathname,
      url.search.replace(/^\?/, ""),
      time,
      createHash("sha256").update(body).digest("hex"),
    ];
    const expected = createHmac("sha256", reader.secret).update(over.join("\n")).digest();
    const given = Buffer.from(String(headers["x-veldt-signature"] ?? ""), "hex");
    if (given.length !== expected.length || !timingSafeEqual(given, expected))
      return refuse("the signature does not fit");
    return undefined;
  }

  regionOf(): undefined {
    return undefined;
  }

  answer({ url, method, body, atMs }: CloudRequest): CloudAnswer {
    const { cloud } = this.view;
    const [, api, what] = url.pathname.split("/");
    if (api !== "api") return notFound;
    if (what === "whoami")
      return { status: 200, body: { tenant: { tenantId: cloud.account.id, displayName: cloud.account.name } } };
    if (what === "areas")
      return {
        status: 200,
        body: cloud.regions.map((one) => ({ code: one.id, displayName: one.name, cells: one.zones })),
      };
    if (what === "charges") {
      const fromMs = Number(url.searchParams.get("fromMs"));
      if (!(fromMs > 0)) return { status: 400, body: { message: "say fromMs" } };
      return page(
        this.costs.ofMonth(fromMs, atMs).map((one) => chargeOf(one, cloud.charges.currency)),
        url,
      );
    }
    if (what === "measurements" && method === "POST") return this.measurements(body, atMs);
    const items = this.listed(what ?? "", atMs);
    return items ? page(items, url) : notFound;
  }

  private listed(what: string, atMs: number): unknown[] | undefined {
    switch (what) {
      case "instances":
        return this.instances(atMs);
      case "volumes":
        return this.volumes(atMs);
      case "balancers":
        return this.balancers(atMs);
      case "buckets":
        return this.buckets(atMs);
      case "databases":
        return this.databases(atMs);
      case "networks":
        return this.networks();
      default:
        return undefined;
    }
  }

  /** Of what is cut off it knows that it is there, and no more. */
  private readonly isCutAt = (atMs: number) => (one: { region: string }) => this.view.isCut(one.region, atMs);

  private instances(atMs: number): unknown[] {
    const isCut = this.isCutAt(atMs);
    return this.view.machines(atMs).map((one) => ({
      instanceId: one.id,
      displayName: one.name,
      lifecycle: isCut(one) ? "UNKNOWN" : one.isRunning ? "RUNNING" : "HALTED",
      shape: { name: one.size, vcpu: one.cores, ramGb: one.memoryGiB },
      bootImage: one.image,
      area: { code: one.region, cell: one.zone },
      createdMs: one.startedMs,
      machineUuid: one.uuid.toUpperCase(),
      hostLabel: one.host,
      interfaces: [{ hw: one.hardware.replaceAll(":", "-").toUpperCase(), ip4: one.address, netId: one.network }],
      volumeIds: one.volumes,
      labels: one.tags,
    }));
  }

  private volumes(atMs: number): unknown[] {
    const isCut = this.isCutAt(atMs);
    return this.view.volumes(atMs).map((one) => ({
      volumeId: one.id,
      displayName: one.name,
      capacityGb: one.sizeGiB,
      instanceId: one.machine,
      area: { code: one.region, cell: one.zone },
      ...(isCut(one)
        ? {}
        : {
            stats: {
              readsPerSecond: one.reads,
              writesPerSecond: one.writes,
              latencyMs: one.latencyMs,
              busyPercent: one.busy * 100,
            },
          }),
    }));
  }

  private balancers(atMs: number): unknown[] {
    const isCut = this.isCutAt(atMs);
    return this.view.balancers(atMs).map((one) => ({
      balancerId: one.id,
      displayName: one.name,
      area: { code: one.region },
      listenPort: one.port,
      backendIds: one.targets,
      ...(isCut(one)
        ? {}
        : {
            stats: {
              requestsPerSecond: one.perSecond,
              failedPercent: one.failing * 100,
              latencyMs: one.ms,
              healthyBackends: one.healthy,
            },
          }),
    }));
  }

  private buckets(atMs: number): unknown[] {
    const isCut = this.isCutAt(atMs);
    return this.view.buckets(atMs).map((one) => ({
      bucketId: one.id,
      displayName: one.name,
      area: { code: one.region },
      ...(isCut(one)
        ? {}
        : { stats: { bytes: Math.round(one.bytes), objects: one.objects, requestsPerSecond: one.requests } }),
      labels: one.tags,
    }));
  }

  private databases(atMs: number): unknown[] {
    const isCut = this.isCutAt(atMs);
    return this.view.databases(atMs).map((one) => ({
      databaseId: one.id,
      displayName: one.name,
      area: { code: one.region },
      engine: one.engine,
      shape: one.size,
      ...(isCut(one)
        ? {}
        : {
            stats: {
              cpuPercent: one.cpu * 100,
              connections: one.connections,
              storagePercent: one.usedShare * 100,
              latencyMs: one.ms,
            },
          }),
      labels: one.tags,
    }));
  }

  private networks(): unknown[] {
    return this.view
      .networks()
      .map((one) => ({ netId: one.id, displayName: one.name, cidr: one.block, area: { code: one.region } }));
  }

  /** Figures of instances, one row each, with what it measured by name. */
  private measurements(body: string, atMs: number): CloudAnswer {
    const { resources } = JSON.parse(body || "{}") as { resources?: string };
    const wanted = new Set(String(resources ?? "").split(" "));
    const rows = this.view.machines(atMs).flatMap((one) => {
      if (!wanted.has(one.id) || !one.isRunning || this.view.isCut(one.region, atMs)) return [];
      const { cpu, memory, inBytes, outBytes, readBytes, writtenBytes } = this.view.figures(one, atMs);
      const values = {
        "cpu.percent": cpu * 100,
        "ram.percent": memory * 100,
        "net.rx.bps": inBytes * 8,
        "net.tx.bps": outBytes * 8,
        "disk.read.bytes": readBytes,
        "disk.write.bytes": writtenBytes,
      };
      return Object.entries(values).map(([metric, value]) => ({
        resource: one.id,
        metric,
        atMs: Math.floor(atMs / 1000) * 1000,
        value: Math.round(value * 100) / 100,
      }));
    });
    return { status: 200, body: { rows } };
  }
}

function page(items: readonly unknown[], url: URL): CloudAnswer {
  const size = Math.min(PAGE, Math.max(1, Number(url.searchParams.get("limit") ?? PAGE)));
  const from = Math.max(0, Number(url.searchParams.get("from") ?? 0));
  const next = new URL(url);
  next.searchParams.set("from", String(from + size));
  const headers: Record<string, string> =
    from + size < items.length ? { link: `<${next.pathname}${next.search}>; rel="next"` } : {};
  return { status: 200, body: items.slice(from, from + size), headers };
}

const SERVICES: Readonly<Record<Charge["family"], string>> = {
  compute: "COMPUTE",
  storage: "STORAGE",
  network: "NET",
  database: "DATA",
  serverless: "COMPUTE",
  support: "OTHER",
};

/** A charge with its amounts in thousandths of a unit. */
const chargeOf = (one: Charge, currency: string) => ({
  chargeId: one.id,
  beginMs: one.fromMs,
  finishMs: one.toMs,
  serviceName: one.product,
  group: SERVICES[one.family],
  sort: one.kind.toUpperCase(),
  note: one.text,
  ...(one.resource ? { resourceId: one.resource } : {}),
  ...(one.name ? { displayName: one.name } : {}),
  ...(one.region ? { area: one.region } : {}),
  amount: { units: one.quantity, of: one.unit, listMilli: one.list * 1000, netMilli: one.net * 1000, money: currency },
  labels: one.tags,
});
