import type { Attribute, LogRecord, SpanRecord } from "./otlp-types";
import { type Reader, message, inner, millis, hex } from "./protobuf-fields";
import { anyValue, attribute } from "./protobuf-attributes";

export function logRecord(reader: Reader, end: number): LogRecord {
  const record: LogRecord = {
    atMs: 0,
    observedMs: 0,
    severity: 0,
    severityText: "",
    body: null,
    attributes: [],
    traceId: "",
    spanId: "",
  };
  message(reader, end, (field) => {
    if (field === 1) record.atMs = millis(reader);
    else if (field === 2) record.severity = reader.int32();
    else if (field === 3) record.severityText = reader.string();
    else if (field === 5) record.body = inner(reader, (value, valueEnd) => anyValue(value, valueEnd, 0));
    else if (field === 6) record.attributes.push(attribute(reader));
    else if (field === 9) record.traceId = hex(reader.bytes());
    else if (field === 10) record.spanId = hex(reader.bytes());
    else if (field === 11) record.observedMs = millis(reader);
    else return false;
    return true;
  });
  return record;
}

export function span(reader: Reader, end: number): SpanRecord {
  const result: SpanRecord = {
    traceId: "",
    spanId: "",
    parentId: "",
    name: "",
    kind: 0,
    startMs: 0,
    endMs: 0,
    attributes: [],
    events: [],
    links: [],
    traceState: "",
    status: 0,
    statusMessage: "",
  };
  message(reader, end, (field) => {
    if (field === 1) result.traceId = hex(reader.bytes());
    else if (field === 2) result.spanId = hex(reader.bytes());
    else if (field === 3) result.traceState = reader.string();
    else if (field === 4) result.parentId = hex(reader.bytes());
    else if (field === 5) result.name = reader.string();
    else if (field === 6) result.kind = reader.int32();
    else if (field === 7) result.startMs = millis(reader);
    else if (field === 8) result.endMs = millis(reader);
    else if (field === 9) result.attributes.push(attribute(reader));
    else if (field === 11) {
      const event = { atMs: 0, name: "", attributes: [] as Attribute[] };
      inner(reader, (own, ownEnd) =>
        message(own, ownEnd, (number) => {
          if (number === 1) event.atMs = millis(own);
          else if (number === 2) event.name = own.string();
          else if (number === 3) event.attributes.push(attribute(own));
          else return false;
          return true;
        }),
      );
      result.events.push(event);
    } else if (field === 13) {
      const link = { traceId: "", spanId: "", attributes: [] as Attribute[] };
      inner(reader, (own, ownEnd) =>
        message(own, ownEnd, (number) => {
          if (number === 1) link.traceId = hex(own.bytes());
          else if (number === 2) link.spanId = hex(own.bytes());
          else if (number === 4) link.attributes.push(attribute(own));
          else return false;
          return true;
        }),
      );
      result.links.push(link);
    } else if (field === 15)
      inner(reader, (own, ownEnd) =>
        message(own, ownEnd, (number) =>
          number === 2
            ? ((result.statusMessage = own.string()), true)
            : number === 3 && ((result.status = own.int32()), true),
        ),
      );
    else return false;
    return true;
  });
  return result;
}
