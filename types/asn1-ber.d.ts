/** The parts of asn1-ber that the SNMP stand-in uses; the package ships no types. */
declare module "asn1-ber" {
  export class BerReader {
    constructor(data: Buffer);
    readonly remain: number;
    readByte(peek?: boolean): number | null;
    readSequence(tag?: number): number | null;
    readInt(): number | null;
    readString(): string | null;
    readOID(): string | null;
  }
  export class BerWriter {
    readonly buffer: Buffer;
    startSequence(tag?: number): void;
    endSequence(): void;
    writeInt(value: number, tag?: number): void;
    writeString(value: string, tag?: number): void;
    writeBuffer(value: Buffer, tag: number): void;
    writeOID(value: string): void;
  }
}
