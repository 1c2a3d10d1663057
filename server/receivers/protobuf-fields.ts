import type protobuf from "protobufjs/minimal.js";
import { BadSignal } from "./otlp-types";

export type Reader = protobuf.Reader;
export const TWO32 = 4_294_967_296;

/** Reads a message field by field; what the handler does not take is skipped. */
export function message(reader: Reader, end: number, field: (number: number, wire: number) => boolean): void {
  while (reader.pos < end) {
    const tag = reader.uint32();
    if (!field(tag >>> 3, tag & 7)) reader.skipType(tag & 7);
  }
  if (reader.pos !== end) throw new BadSignal("A message inside it is longer than it says.");
}

export function inner<T>(reader: Reader, read: (reader: Reader, end: number) => T): T {
  const length = reader.uint32();
  const end = reader.pos + length;
  if (end > reader.len) throw new BadSignal("It ends in the middle of a message.");
  return read(reader, end);
}

export const fixed64 = (reader: Reader): number => {
  const low = reader.fixed32();
  return reader.fixed32() * TWO32 + low;
};
export const sfixed64 = (reader: Reader): number => {
  const low = reader.fixed32();
  return reader.sfixed32() * TWO32 + low;
};
/** The two halves of a varint of up to 64 bits: in doubles, halves are exact where the whole is not. */
export function varint64(reader: Reader): { low: number; high: number } {
  let low = 0;
  let high = 0;
  for (let count = 0; count < 10; count++) {
    if (reader.pos >= reader.len) throw new BadSignal("It ends in the middle of a number.");
    const byte = reader.buf[reader.pos++] as number;
    const shift = count * 7;
    if (shift < 28) low |= (byte & 127) << shift;
    else if (shift === 28) {
      low |= (byte & 15) << 28;
      high |= (byte & 127) >> 4;
    } else high |= (byte & 127) << (shift - 32);
    if (byte < 128) return { low: low >>> 0, high };
  }
  throw new BadSignal("A number in it is too long.");
}
export const uint64 = (reader: Reader): number => {
  const { low, high } = varint64(reader);
  return (high >>> 0) * TWO32 + low;
};
export const int64 = (reader: Reader): number => {
  const { low, high } = varint64(reader);
  return (high | 0) * TWO32 + low;
};
export const millis = (reader: Reader): number => fixed64(reader) / 1e6;

/** A repeated number, packed or one by one. */
export function numbers(reader: Reader, wire: number, into: number[], read: (reader: Reader) => number): true {
  if (wire !== 2) into.push(read(reader));
  else
    inner(reader, (packed, end) => {
      while (packed.pos < end) into.push(read(packed));
    });
  return true;
}

export const hex = (bytes: Uint8Array) => Buffer.from(bytes).toString("hex");
