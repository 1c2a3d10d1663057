import { CompiledMapping, mappingSchema } from "../mapping";

/** Services of the catalogue by their types there, with the names that paths of the mapping begin with. */
export const SERVICES: Readonly<Record<string, readonly string[]>> = {
  compute: ["compute"],
  volume: ["block-storage", "volumev3", "block-store", "volume"],
  network: ["network"],
  image: ["image"],
};
export const SERVICE_LABELS: Readonly<Record<string, string>> = {
  compute: "compute",
  volume: "block storage",
  network: "network",
  image: "image",
};

const next = (links: string) => ({ by: "link", next: `${links}[rel='next'].href` });

/**
 * How a private cloud is read by the open interfaces that such clouds serve: identity v3 with its catalogue, compute v2.1,
 * block storage v3, network v2, image v2 (their published API references). Paths begin with the service and the region.
 */
export const PRIVATE_CLOUD = new CompiledMapping(
  mappingSchema.parse({
    name: "Private cloud",
    limits: { perSecond: 100, atOnce: 8 },
    account: { path: "/catalogue/account", id: "id", name: "name" },
    regions: { path: "/catalogue/regions", items: "regions", key: "id", label: "id" },
    lists: [
      {
        name: "hypervisors",
        path: "/compute/{region}/os-hypervisors/detail",
        perRegion: true,
        items: "hypervisors",
        paging: next("hypervisors_links"),
        kind: "host.hypervisor",
        key: "hypervisor_hostname",
        label: "hypervisor_hostname",
        hostName: "hypervisor_hostname",
        addresses: "host_ip",
        facts: {
          type: "hypervisor_type",
          processors: "vcpus",
          "memory MiB": "memory_mb",
          "storage GiB": "local_gb",
          availability: "status",
        },
        state: "state",
        off: ["down"],
        figures: {
          "guests.running": { value: "running_vms", unit: "1" },
          "cpu.allotted": { value: "vcpus > 0 ? 100 * vcpus_used / vcpus", unit: "%" },
          "memory.allotted": { value: "memory_mb > 0 ? 100 * memory_mb_used / memory_mb", unit: "%" },
          "storage.allotted": { value: "local_gb > 0 ? 100 * local_gb_used / local_gb", unit: "%" },
        },
      },
      {
        name: "sizes",
        path: "/compute/{region}/flavors/detail",
        perRegion: true,
        items: "flavors",
        paging: next("flavors_links"),
        kind: "platform.size",
        key: "id",
        label: "name",
        facts: { processors: "vcpus", "memory MiB": "ram", "disk GiB": "disk" },
      },
      {
        name: "images",
        path: "/image/{region}/v2/images",
        perRegion: true,
        items: "images",
        paging: { by: "link", next: "next" },
        kind: "platform.image",
        key: "id",
        label: "name",
        facts: { "size MiB": "$round(size / 1048576)", format: "disk_format", visibility: "visibility" },
        state: "status",
        gone: ["deleted", "pending_delete"],
        since: "created_at",
      },
      {
        name: "networks",
        path: "/network/{region}/v2.0/networks",
        perRegion: true,
        items: "networks",
        paging: next("networks_links"),
        kind: "net.virtual",
        key: "id",
        label: "name",
        facts: { subnets: "$string($count(subnets))", MTU: "mtu" },
        state: "status",
        // Whose ports are in it, as the client adds them.
        relations: [{ type: "wired-to", list: "instances", to: "devices", back: true }],
      },
      {
        name: "volumes",
        path: "/volume/{region}/volumes/detail",
        perRegion: true,
        items: "volumes",
        paging: next("volumes_links"),
        kind: "storage.volume",
        key: "id",
        label: "name != '' ? name : id",
        facts: { "size GiB": "size", type: "volume_type", zone: "availability_zone" },
        state: "status",
        gone: ["deleting"],
        since: "created_at",
        relations: [{ type: "stored-on", list: "instances", to: "attachments.server_id", back: true }],
      },
      {
        name: "instances",
        path: "/compute/{region}/servers/detail",
        perRegion: true,
        items: "servers",
        paging: next("servers_links"),
        kind: "host.instance",
        key: "id",
        label: "name",
        // The number of the instance is that of its machine (SMBIOS UUID).
        machine: "id",
        hostName: "name",
        facts: {
          size: "flavor.original_name ? flavor.original_name : flavor.id",
          zone: "`OS-EXT-AZ:availability_zone`",
          image: "image.id",
          disks: "$string($count(`os-extended-volumes:volumes_attached`))",
          interfaces: "$string($count(addresses.*))",
          task: "`OS-EXT-STS:task_state`",
        },
        tags: "metadata",
        state: "status",
        gone: ["DELETED", "SOFT_DELETED"],
        off: ["SHUTOFF", "SUSPENDED", "PAUSED", "SHELVED", "SHELVED_OFFLOADED", "BUILD", "ERROR"],
        since: "`OS-SRV-USG:launched_at` ? `OS-SRV-USG:launched_at` : created",
        addresses: "addresses.*.addr",
        hardwareAddresses: "addresses.*.`OS-EXT-IPS-MAC:mac_addr`",
        relations: [
          { type: "hosted-by", list: "hypervisors", to: "`OS-EXT-SRV-ATTR:hypervisor_hostname`" },
          { type: "stored-on", list: "volumes", to: "`os-extended-volumes:volumes_attached`.id" },
        ],
      },
    ],
  }),
);
