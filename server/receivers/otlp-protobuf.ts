import protobuf from "protobufjs/minimal.js";
import { BadSignal, type LogRecord, type Metric, type OfResource, type SpanRecord } from "./otlp-types";
import { type Reader, message, inner } from "./protobuf-fields";
import { resource } from "./protobuf-attributes";
import { metric } from "./protobuf-metrics";
import { logRecord, span } from "./protobuf-records";

/**
 * OTLP 1.x requests in protobuf (opentelemetry-proto v1: collector, metrics, logs, trace, common). Field numbers are
 * those of the published .proto files; fields that are not kept are skipped. Throws BadSignal when the bytes are cut
 * short.
 */

/**
 * All three requests have the same frame: resources (1), in each the resource (1) and scopes (2), in each scope items
 * (2).
 */
function request<Item>(bytes: Uint8Array, read: (reader: Reader, end: number) => Item): OfResource<Item>[] {
  try {
    const reader = protobuf.Reader.create(bytes);
    const result: OfResource<Item>[] = [];
    message(reader, bytes.length, (field) => {
      if (field !== 1) return false;
      const one: OfResource<Item> = { resource: [], items: [] };
      inner(reader, (own, end) =>
        message(own, end, (number) => {
          if (number === 1) one.resource = inner(own, resource);
          else if (number === 2)
            inner(own, (scope, scopeEnd) =>
              message(scope, scopeEnd, (part) => part === 2 && (one.items.push(inner(scope, read)), true)),
            );
          else return false;
          return true;
        }),
      );
      result.push(one);
      return true;
    });
    return result;
  } catch (error) {
    if (error instanceof BadSignal) throw new BadSignal(`The protobuf cannot be read: ${error.message}`);
    throw new BadSignal("The protobuf cannot be read: it is cut short or not an OTLP request.");
  }
}

export const metricsFromProtobuf = (bytes: Uint8Array): OfResource<Metric>[] => request(bytes, metric);
export const logsFromProtobuf = (bytes: Uint8Array): OfResource<LogRecord>[] => request(bytes, logRecord);
export const spansFromProtobuf = (bytes: Uint8Array): OfResource<SpanRecord>[] => request(bytes, span);

/** The answer to an export: how many items were not kept, and why; empty when all were. */
export function partialSuccessToProtobuf(rejected: number, why: string): Uint8Array {
  const writer = protobuf.Writer.create();
  if (rejected > 0 || why) {
    writer.uint32(10).fork();
    if (rejected > 0) writer.uint32(8).int64(rejected);
    if (why) writer.uint32(18).string(why);
    writer.ldelim();
  }
  return writer.finish();
}

/** google.rpc.Status, as the specification asks for in answers to what cannot be taken. */
export function statusToProtobuf(code: number, why: string): Uint8Array {
  return protobuf.Writer.create().uint32(8).int32(code).uint32(18).string(why).finish();
}
