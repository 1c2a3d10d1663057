import { Recent } from "#core/telemetry/recent";
import { BadSignal, DEEPEST, type AnyValue, type Attribute } from "./otlp-types";
import { type Reader, message, inner, int64 } from "./protobuf-fields";

export function anyValue(reader: Reader, end: number, depth: number): AnyValue {
  if (depth > DEEPEST) throw new BadSignal(`Attributes are nested deeper than ${DEEPEST} levels.`);
  let value: AnyValue = null;
  message(reader, end, (field) => {
    switch (field) {
      case 1:
        value = reader.string();
        return true;
      case 2:
        value = reader.bool();
        return true;
      case 3:
        value = int64(reader);
        return true;
      case 4:
        value = reader.double();
        return true;
      case 5: {
        const list: AnyValue[] = [];
        inner(reader, (array, arrayEnd) =>
          message(
            array,
            arrayEnd,
            (number) =>
              number === 1 && (list.push(inner(array, (one, oneEnd) => anyValue(one, oneEnd, depth + 1))), true),
          ),
        );
        value = list;
        return true;
      }
      case 6: {
        const list: Attribute[] = [];
        inner(reader, (map, mapEnd) =>
          message(map, mapEnd, (number) => number === 1 && (list.push(attribute(map, depth + 1)), true)),
        );
        value = Object.fromEntries(list);
        return true;
      }
      case 7:
        value = Buffer.from(reader.bytes()).toString("base64");
        return true;
      default:
        return false;
    }
  });
  return value;
}

export function attribute(reader: Reader, depth = 0): Attribute {
  return inner(reader, (pair, end) => {
    const result: Attribute = ["", null];
    message(pair, end, (field) => {
      if (field === 1) result[0] = pair.string();
      else if (field === 2) result[1] = inner(pair, (value, valueEnd) => anyValue(value, valueEnd, depth));
      else return false;
      return true;
    });
    return result;
  });
}

/**
 * Attributes come again with every request of an exporter, byte by byte: those of points are read once. So many bytes
 * of them are known.
 */
const KNOWN_BYTES = 8 * 2 ** 20;
const LONGEST_KNOWN = 2048;
const knownAttributes = new Recent<readonly Attribute[]>(KNOWN_BYTES);
const NO_ATTRIBUTES: readonly Attribute[] = [];

/** Where the attributes of a point lie in its bytes; nearly always one behind the other. */
export interface Run {
  from: number;
  to: number;
  /** Set when something else stands between them. */
  scattered: Attribute[] | undefined;
}

export const newRun = (): Run => ({ from: -1, to: -1, scattered: undefined });

/** Passes over an attribute whose tag, one byte, was just read. */
export function passAttribute(reader: Reader, run: Run): true {
  const tagAt = reader.pos - 1;
  if (run.from < 0) run.from = tagAt;
  else if (run.to !== tagAt || run.scattered) {
    run.scattered ??= readRun(reader, run);
    run.scattered.push(attribute(reader));
    return true;
  }
  const end = reader.uint32() + reader.pos;
  if (end > reader.len) throw new BadSignal("It ends in the middle of a message.");
  reader.pos = run.to = end;
  return true;
}

function readRun(reader: Reader, run: Run): Attribute[] {
  const back = reader.pos;
  const list: Attribute[] = [];
  reader.pos = run.from;
  while (reader.pos < run.to) {
    reader.pos++;
    list.push(attribute(reader));
  }
  reader.pos = back;
  return list;
}

export function attributesOf(reader: Reader, run: Run): readonly Attribute[] {
  if (run.from < 0) return NO_ATTRIBUTES;
  if (run.scattered) return run.scattered;
  if (run.to - run.from > LONGEST_KNOWN) return readRun(reader, run);
  const key = Buffer.from(reader.buf.buffer, reader.buf.byteOffset + run.from, run.to - run.from).toString("latin1");
  const known = knownAttributes.get(key);
  if (known) return known;
  const list = readRun(reader, run);
  knownAttributes.set(key, list, key.length);
  return list;
}

export function resource(reader: Reader, end: number): Attribute[] {
  const attributes: Attribute[] = [];
  message(reader, end, (field) => field === 1 && (attributes.push(attribute(reader)), true));
  return attributes;
}
