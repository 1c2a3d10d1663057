import type { SignalKind, TokenScope } from "#core/people/tokens";
import { Rejected } from "./rejected";
import type { IngestChannel } from "./channel";
import { logsFromJson, metricsFromJson, spansFromJson } from "./otlp-json";
import { logsFromProtobuf, metricsFromProtobuf, spansFromProtobuf } from "./otlp-protobuf";
import type { Attribute, OfResource } from "./otlp-types";
import { CODE, Refusal } from "./refusal";
import { whyNotResource } from "./sender-tokens";

/** What OTLP carries, by whichever way it comes. */
export type OtlpSignal = Extract<SignalKind, "metrics" | "logs" | "traces">;

/** One export request of OTLP, read from its transport. */
export interface OtlpRequest {
  signal: OtlpSignal;
  bytes: Uint8Array;
  json: boolean;
  /** Address that it came from. */
  peer: string;
  scope: TokenScope;
}

/** Points of a metric; one for a record or a span. */
const partsOf = (item: unknown): number =>
  (item as { data?: { points?: readonly unknown[] } }).data?.points?.length ?? 1;

/**
 * Takes one export request in, and waits until it is kept. What cannot be taken of it is told back as rejected; throws a
 * Refusal or a BadSignal where nothing was taken.
 */
export async function takeSignals(channel: IngestChannel, request: OtlpRequest): Promise<Rejected> {
  const { signal, bytes, json, peer, scope } = request;
  const rejected = new Rejected();
  const covered = <Item>(list: OfResource<Item>[]): OfResource<Item>[] =>
    list.filter(({ resource, items }) => {
      const why = whyNotResource(scope, signal, resource) ?? channel.builder.bounds.whyNotSender(peer, resource);
      if (why !== undefined)
        rejected.add(
          why,
          items.reduce((sum, item) => sum + partsOf(item), 0),
        );
      return why === undefined;
    });
  /** Who says neither host nor service is told apart by the address it sends from. */
  const named = <Item>(list: OfResource<Item>[]): OfResource<Item>[] =>
    covered(list).map((one) =>
      one.resource.some(([key]) => key === "host.name" || key === "service.name" || key === "service.instance.id")
        ? one
        : { ...one, resource: [...one.resource, ["source.address", peer] as Attribute] },
    );
  // Until the batch is handed over nothing else is sorted.
  channel.builder.client = peer;
  if (signal === "metrics")
    channel.builder.metrics(named(json ? metricsFromJson(bytes) : metricsFromProtobuf(bytes)), {}, rejected);
  else if (signal === "traces")
    channel.builder.spanRecords(named(json ? spansFromJson(bytes) : spansFromProtobuf(bytes)), rejected);
  else channel.builder.logRecords(named(json ? logsFromJson(bytes) : logsFromProtobuf(bytes)), {}, rejected);
  return handOver(channel, rejected);
}

/** Hands over what was sorted, and adds what could not be kept to what was rejected. */
export async function handOver(channel: IngestChannel, rejected: Rejected): Promise<Rejected> {
  const outcome = await channel.deliver();
  if (outcome.problem) throw new Refusal(503, CODE.unavailable, outcome.problem, 5);
  for (const { why } of outcome.refused) rejected.add(why);
  if (outcome.rejected) rejected.add("It cannot be kept as it is.", outcome.rejected);
  return rejected;
}
