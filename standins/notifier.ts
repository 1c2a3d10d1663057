import snmp from "net-snmp";
import type { HostView } from "./seen/host-view";

const IF_ENTRY = "1.3.6.1.2.1.2.2.1";

/** Has switches tell when one of their links goes down or comes back: linkDown and linkUp (RFC 2863), v2c. */
export class Notifier {
  private readonly before = new Map<HostView, boolean[]>();

  constructor(
    private readonly switches: readonly HostView[],
    private readonly port: number,
    private readonly now: () => number,
  ) {}

  /** Tells of what changed since the last look. */
  look(): void {
    for (const host of this.switches) {
      const rows = host.interfaceRows();
      const before = this.before.get(host);
      this.before.set(
        host,
        rows.map((row) => row.up),
      );
      if (!before || !host.answers(this.now())) continue;
      rows.forEach((row, index) => {
        if (row.up !== before[index]) this.tell(host, row.index, row.name, row.up);
      });
    }
  }

  private tell(host: HostView, index: number, name: string, up: boolean): void {
    const session = snmp.createSession("127.0.0.1", host.site.community, {
      version: snmp.Version2c,
      trapPort: this.port,
      sourceAddress: host.address,
    });
    session.on("error", () => undefined);
    const integer = (column: number, value: number) => ({
      oid: `${IF_ENTRY}.${column}.${index}`,
      type: snmp.ObjectType.Integer,
      value,
    });
    session.trap(
      up ? snmp.TrapType.LinkUp : snmp.TrapType.LinkDown,
      [
        integer(1, index),
        { oid: `${IF_ENTRY}.2.${index}`, type: snmp.ObjectType.OctetString, value: name },
        integer(7, 1),
        integer(8, up ? 1 : 2),
      ],
      { upTime: Math.floor((this.now() - host.upSinceMs()) / 10) % 2 ** 32 },
      () => session.close(),
    );
  }
}
