import { setMaxListeners } from "node:events";
import type { AddressSpan } from "#core/estate/ranges";
import { recognise } from "#core/estate/recognise";
import { eachLimited, Limiter, paced } from "../../outside/limit";
import { withDeadline } from "../../outside/deadline";
import { Stream } from "../../outside/stream";
import type { Checked, Found } from "../driver";
import { addressesOf } from "./addresses";
import type { RangeSettings } from "./driver";
import { lookAt, type RangeTask } from "./look-at";
import { readSystem } from "./snmp";
import type { SnmpAccess } from "./snmp-access";

/** Addresses waited for side by side: most are silent, and waiting for SNMP costs one socket each. */
const ADDRESSES_AT_ONCE = 240;
/**
 * Addresses whose TCP ports are tried side by side. With 12 ports each this stays well under the usual limit of open
 * files.
 */
const TCP_AT_ONCE = 48;
/** No address may take longer, however slowly it answers. */
const ADDRESS_MS = 30_000;
const CHECKED_ADDRESSES = 16;

/**
 * Looks at every address by TCP, banner, HTTP and SNMP at once, and hands each over as soon as it was looked at. An
 * address that takes too long is given up with a failure; aborting ends everything at once.
 */
async function* discover(task: RangeTask, signal: AbortSignal, addressMs = ADDRESS_MS): AsyncGenerator<Found> {
  const stream = new Stream<Found>();
  const tcp = new Limiter(TCP_AT_ONCE);
  const counts = { tried: 0, answering: 0, recognised: 0, failed: 0 };
  const look = async (address: string) => {
    const sighting = await withDeadline(addressMs, signal, (ended) => lookAt(address, task, tcp, ended)).catch(
      (error: Error) => {
        if (signal.aborted) return undefined;
        counts.failed++;
        stream.push({
          what: "failure",
          address,
          reason: `${error.message} It was given up; the other addresses were not held up.`,
        });
        return undefined;
      },
    );
    if (signal.aborted) return;
    counts.tried++;
    if (sighting) {
      counts.answering++;
      if (sighting.system) counts.recognised++;
      if (sighting.failures.length) counts.failed++;
      for (const { reason } of sighting.failures) stream.push({ what: "failure", address, reason });
      const recognised = recognise(sighting, task.book);
      if (recognised) stream.push({ what: "observations", observations: [recognised.host, ...recognised.parts] });
    }
    stream.push({ what: "progress", ...counts });
  };
  // Every address under way listens to it.
  setMaxListeners(0, signal);
  const addresses = paced(
    addressesOf(task, (failure) => {
      counts.failed++;
      stream.push(failure);
    }),
    task.perSecond ?? 0,
    signal,
  );
  const work = eachLimited(addresses, ADDRESSES_AT_ONCE, look, signal);
  work.then(
    () => stream.end(),
    (error: unknown) => stream.fail(error),
  );
  yield* stream;
}

/** Reads the systems of the first addresses, and says what each answered. */
async function check(
  {
    spans,
    names,
    count,
    settings,
    accessAt,
  }: {
    spans: AddressSpan[];
    names: readonly string[];
    count: number;
    settings: RangeSettings;
    accessAt: (address: string) => readonly SnmpAccess[];
  },
  signal: AbortSignal,
): Promise<Checked> {
  const lines: string[] = [];
  let silent = 0;
  const first: string[] = [];
  for await (const address of addressesOf({ spans, names }, ({ reason }) => lines.push(reason))) {
    if (first.push(address) >= CHECKED_ADDRESSES) break;
  }
  await Promise.all(
    first.map((address) =>
      withDeadline(8000, signal, () =>
        readSystem({ address, port: settings.snmpPort, access: accessAt(address) }, 900, 1),
      ).then(
        (system) => lines.push(`${address}: ${system.sysName || "no name"}, “${system.sysDescr.slice(0, 80)}”`),
        () => silent++,
      ),
    ),
  );
  lines.sort();
  if (silent)
    lines.push(
      `${silent} of the first ${first.length} of ${count} addresses did not answer SNMP on UDP ${settings.snmpPort} with these credentials.`,
    );
  return { ok: silent < first.length, lines };
}

export const discoverRange = { discover, check };
