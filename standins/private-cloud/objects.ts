import { seedOf } from "../rhythm";
import type { ScenarioPrivateCloud } from "../scenario/schema";
import type { Estate } from "../seen/estate";
import { hardwareOf, uuidOf } from "../seen/host-view";
import { GIB, type Machine } from "../world/layout";

const MADE_BEFORE_MS = Date.UTC(2026, 0, 1);

type Region = ScenarioPrivateCloud["regions"][number];
const DAY_MS = 86_400_000;
const DISK_BLOCK = 8192;

/** A number in the form of a UUID that stands for a name. */
export const idOf = (name: string): string => {
  const part = (salt: number) => (seedOf(name, salt) >>> 0).toString(16).padStart(8, "0");
  const hex = part(1) + part(2) + part(3) + part(4);
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-4${hex.slice(13, 16)}-8${hex.slice(17, 20)}-${hex.slice(20, 32)}`;
};

const iso = (ms: number) => `${new Date(ms).toISOString().slice(0, 19)}Z`;

/** What a private cloud on the world's hypervisors has, in the shapes of its services. */
export class PrivateCloudObjects {
  /** Disk counters, which the world keeps as rates. */
  private readonly disks = new Map<number, { atMs: number; read: number; written: number }>();

  constructor(
    readonly estate: Estate,
    readonly cloud: ScenarioPrivateCloud,
  ) {}

  private hosts(region: Region): Machine[] {
    return region.hypervisors.flatMap((name) => this.estate.world.layout.machine(name) ?? []);
  }

  /** Whether every line to a region's hypervisors is cut. */
  isCut(region: Region, atMs: number): boolean {
    const { link } = this.estate.world.advance(atMs);
    const hosts = this.hosts(region);
    return hosts.length > 0 && hosts.every((one) => one.link !== undefined && !link.up[one.link.index]);
  }

  private guests(region: Region, atMs: number): { guest: Machine; host: Machine; isUp: boolean }[] {
    const { machine } = this.estate.world.advance(atMs);
    return this.hosts(region).flatMap((host) =>
      host.guests
        .map((guest) => ({ guest, host, isUp: machine.up[guest.index] === 1 }))
        .filter(({ guest, isUp }) => guest.sinceMs <= atMs && (!guest.spare || isUp)),
    );
  }

  private sizeOf = (guest: Machine) => `q-${this.estate.world.coresOf(guest)}.${guest.role.memoryGiB}`;

  private fullName = ({ name }: Machine) => `${name}.${this.estate.scenario.organisation.domain}`;

  servers(region: Region, atMs: number): object[] {
    const { machine } = this.estate.world.state;
    const zones = [...new Set(this.hosts(region).map((one) => one.name))];
    return [
      ...this.guests(region, atMs).map(({ guest, host, isUp }) => ({
        id: uuidOf(guest),
        name: guest.name,
        status: isUp ? "ACTIVE" : "SHUTOFF",
        // Whenever the stand-ins are started anew, machines were made when they were made.
        created: iso(
          Math.min(MADE_BEFORE_MS, this.estate.anchorMs - 30 * DAY_MS) - (Math.abs(guest.seed) % 300) * DAY_MS,
        ),
        flavor: { id: this.sizeOf(guest), original_name: this.sizeOf(guest) },
        image: { id: idOf(`image ${IMAGES[Math.abs(guest.seed) % IMAGES.length]?.name ?? ""}`) },
        addresses: {
          [`${region.id}-net`]: [
            {
              addr: guest.address,
              version: 4,
              "OS-EXT-IPS:type": "fixed",
              "OS-EXT-IPS-MAC:mac_addr": hardwareOf(guest, 0),
            },
          ],
        },
        metadata: { role: guest.roleName },
        "OS-EXT-AZ:availability_zone": `${region.id}-${zones.indexOf(host.name) + 1}`,
        "OS-EXT-STS:power_state": isUp ? 1 : 4,
        "OS-EXT-STS:task_state": null,
        "OS-EXT-SRV-ATTR:hypervisor_hostname": this.fullName(host),
        "OS-SRV-USG:launched_at": iso(machine.bootedAtMs[guest.index] as number).replace("Z", ".000000"),
        "os-extended-volumes:volumes_attached": guest.disks.map((disk) => ({ id: volumeId(guest, disk.spec.mount) })),
      })),
      ...Array.from({ length: region === this.cloud.regions[0] ? this.cloud.more : 0 }, (_, index) =>
        this.empty(region, index),
      ),
    ];
  }

  /** An instance that nothing runs in, for trying how it goes with many. */
  private empty(region: Region, index: number): object {
    const name = `spare-${String(index + 1).padStart(5, "0")}`;
    const hosts = this.hosts(region);
    const host = hosts[index % Math.max(1, hosts.length)];
    return {
      id: idOf(name),
      name,
      status: "ACTIVE",
      created: iso(MADE_BEFORE_MS),
      flavor: { id: "q-1", original_name: "q-1" },
      image: { id: idOf("image plain-12") },
      addresses: {
        pool: [
          {
            addr: `10.${80 + Math.floor(index / 62_500)}.${Math.floor(index / 250) % 250}.${(index % 250) + 1}`,
            version: 4,
            "OS-EXT-IPS-MAC:mac_addr": `02:99:00:${[16, 8, 0].map((shift) => ((index >> shift) & 255).toString(16).padStart(2, "0")).join(":")}`,
          },
        ],
      },
      metadata: {},
      "OS-EXT-AZ:availability_zone": `${region.id}-1`,
      "OS-EXT-STS:task_state": null,
      ...(host ? { "OS-EXT-SRV-ATTR:hypervisor_hostname": this.fullName(host) } : {}),
      "os-extended-volumes:volumes_attached": [],
    };
  }

  hypervisors(region: Region, atMs: number): object[] {
    const { machine } = this.estate.world.advance(atMs);
    return this.hosts(region).map((host) => {
      const guests = this.guests(region, atMs).filter((one) => one.host === host && one.isUp);
      const sum = (of: (guest: Machine) => number) => guests.reduce((all, { guest }) => all + of(guest), 0);
      const storage = (one: Machine) => one.disks.reduce((all, disk) => all + disk.spec.sizeGiB, 0);
      return {
        id: host.index + 1,
        hypervisor_hostname: this.fullName(host),
        hypervisor_type: "QEMU",
        host_ip: host.address,
        state: machine.up[host.index] ? "up" : "down",
        status: "enabled",
        vcpus: host.role.cores,
        vcpus_used: sum((one) => this.estate.world.coresOf(one)),
        memory_mb: host.role.memoryGiB * 1024,
        memory_mb_used: sum((one) => one.role.memoryGiB * 1024) + 512,
        local_gb: Math.max(storage(host), sum(storage)),
        local_gb_used: sum(storage),
        running_vms: guests.length,
      };
    });
  }

  flavors(): object[] {
    return [
      ...new Map(
        this.cloud.regions
          .flatMap((region) => this.hosts(region))
          .flatMap((host) => host.guests)
          .map((guest) => [
            this.sizeOf(guest),
            {
              id: this.sizeOf(guest),
              name: this.sizeOf(guest),
              vcpus: this.estate.world.coresOf(guest),
              ram: guest.role.memoryGiB * 1024,
              disk: guest.disks[0]?.spec.sizeGiB ?? 20,
            },
          ]),
      ).values(),
    ];
  }

  images(): object[] {
    return IMAGES.map(({ name, size }) => ({
      id: idOf(`image ${name}`),
      name,
      status: "active",
      size,
      disk_format: "qcow2",
      visibility: "public",
      created_at: "2026-01-12T08:00:00Z",
    }));
  }

  networks(region: Region): object[] {
    return [
      {
        id: idOf(`network ${region.id}`),
        name: `${region.id}-net`,
        status: "ACTIVE",
        mtu: 1500,
        subnets: [idOf(`subnet ${region.id}`)],
      },
    ];
  }

  ports(region: Region, atMs: number): object[] {
    return this.guests(region, atMs).map(({ guest }) => ({
      id: idOf(`port ${guest.name}`),
      network_id: idOf(`network ${region.id}`),
      device_id: uuidOf(guest),
      mac_address: hardwareOf(guest, 0),
      status: "ACTIVE",
    }));
  }

  volumes(region: Region, atMs: number): object[] {
    return this.guests(region, atMs).flatMap(({ guest }) =>
      guest.disks.map((disk) => ({
        id: volumeId(guest, disk.spec.mount),
        name: `${guest.name}${disk.spec.mount === "/" ? "-system" : disk.spec.mount.replaceAll("/", "-")}`,
        status: "in-use",
        size: disk.spec.sizeGiB,
        volume_type: "fast",
        availability_zone: `${region.id}-1`,
        created_at: "2026-01-12T08:00:00.000000",
        attachments: [{ server_id: uuidOf(guest), device: "/dev/vda" }],
      })),
    );
  }

  /** Counters of an instance since it began; undefined where there is none, or it does not run. */
  diagnostics(region: Region, id: string, atMs: number): object | undefined {
    const { machine, disk } = this.estate.world.advance(atMs);
    const found = this.guests(region, atMs).find(({ guest }) => uuidOf(guest) === id);
    if (!found?.isUp) return undefined;
    const { guest } = found;
    const since = this.estate.world.since(atMs);
    const seconds = (machine.coreSeconds[guest.index] as number) + (machine.cores[guest.index] as number) * since;
    const rate =
      guest.disks.reduce((sum, one) => sum + (disk.busy[one.index] as number) * one.spec.perSecond, 0) * DISK_BLOCK;
    const before = this.disks.get(guest.index) ?? { atMs, read: 0, written: 0 };
    const passed = Math.max(0, atMs - before.atMs) / 1000;
    const counted = { atMs, read: before.read + rate * 0.6 * passed, written: before.written + rate * 0.4 * passed };
    this.disks.set(guest.index, counted);
    const cores = this.estate.world.coresOf(guest);
    const perCore = Math.round((seconds / cores) * 1e9);
    const bytes = (column: "inBytes" | "outBytes", now: "inBytesPerSecond" | "outBytesPerSecond") =>
      Math.round((machine[column][guest.index] as number) + (machine[now][guest.index] as number) * since);
    const memory = guest.role.memoryGiB * GIB;
    return {
      ...Object.fromEntries(Array.from({ length: cores }, (_, index) => [`cpu${index}_time`, perCore])),
      memory: memory / 1024,
      "memory-actual": memory / 1024,
      "memory-unused": Math.max(0, Math.round((memory - (machine.memoryBytes[guest.index] as number)) / 1024)),
      vda_read: Math.round(counted.read),
      vda_write: Math.round(counted.written),
      tap0_rx: bytes("inBytes", "inBytesPerSecond"),
      tap0_tx: bytes("outBytes", "outBytesPerSecond"),
    };
  }
}

const IMAGES = [
  { name: "plain-12", size: 1_288_490_188 },
  { name: "plain-11", size: 1_181_116_006 },
  { name: "field-linux-9", size: 1_610_612_736 },
] as const;
const volumeId = ({ name }: Machine, mount: string) => idOf(`volume ${name}${mount}`);
