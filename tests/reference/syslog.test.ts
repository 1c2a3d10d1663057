import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { readSyslog, severityOfSyslog, SyslogFraming } from "#core/telemetry/syslog";

const NOW = Date.parse("2026-03-17T10:00:00Z");

// Source: RFC 5424 §6.5, examples 1 to 5.
describe("RFC 5424", () => {
  it("example 1: no structured data, a byte order mark before the text", () => {
    const read = readSyslog(
      "<34>1 2003-10-11T22:14:15.003Z mymachine.example.com su - ID47 - \uFEFF'su root' failed for lonvick on /dev/pts/8",
      NOW,
    );
    expect(read).toEqual({
      form: "rfc5424",
      facility: 4,
      severity: 2,
      atMs: Date.parse("2003-10-11T22:14:15.003Z"),
      host: "mymachine.example.com",
      app: "su",
      process: "",
      messageId: "ID47",
      data: [],
      text: "'su root' failed for lonvick on /dev/pts/8",
    });
  });
  it("example 2: an offset and microseconds", () => {
    const read = readSyslog(
      "<165>1 2003-08-24T05:14:15.000003-07:00 192.0.2.1 myproc 8710 - - %% It's time to make the do-nuts.",
      NOW,
    );
    expect(read).toMatchObject({
      facility: 20,
      severity: 5,
      atMs: Date.parse("2003-08-24T12:14:15.000Z"),
      host: "192.0.2.1",
      app: "myproc",
      process: "8710",
      text: "%% It's time to make the do-nuts.",
    });
  });
  it("example 3: structured data and a text", () => {
    const read = readSyslog(
      '<165>1 2003-10-11T22:14:15.003Z mymachine.example.com evntslog - ID47 [exampleSDID@32473 iut="3" eventSource="Application" eventID="1011"] \uFEFFAn application event log entry...',
      NOW,
    );
    expect(read.data).toEqual([
      ["exampleSDID@32473.iut", "3"],
      ["exampleSDID@32473.eventSource", "Application"],
      ["exampleSDID@32473.eventID", "1011"],
    ]);
    expect(read.text).toBe("An application event log entry...");
  });
  it("example 4: structured data only", () => {
    const read = readSyslog(
      '<165>1 2003-10-11T22:14:15.003Z mymachine.example.com evntslog - ID47 [exampleSDID@32473 iut="3" eventSource="Application" eventID="1011"][examplePriority@32473 class="high"]',
      NOW,
    );
    expect(read.data.at(-1)).toEqual(["examplePriority@32473.class", "high"]);
    expect(read.text).toBe("");
  });
  it("§6.3.3: escapes in values", () => {
    expect(readSyslog(String.raw`<14>1 - - - - - [a b="x\"y\\z\]"] t`, NOW)).toMatchObject({
      form: "rfc5424",
      atMs: null,
      data: [["a.b", String.raw`x"y\z]`]],
      text: "t",
    });
  });
});

// Source: RFC 3164 §5.4, examples 1 to 3. The year is not in the message.
describe("RFC 3164", () => {
  it("example 1", () => {
    expect(
      readSyslog(
        "<34>Oct 11 22:14:15 mymachine su: 'su root' failed for lonvick on /dev/pts/8",
        Date.parse("2026-10-12T00:00:00Z"),
      ),
    ).toMatchObject({
      form: "rfc3164",
      facility: 4,
      severity: 2,
      atMs: Date.parse("2026-10-11T22:14:15Z"),
      host: "mymachine",
      app: "su",
      text: "'su root' failed for lonvick on /dev/pts/8",
    });
  });
  it("example 2: no header at all, so kept whole", () => {
    expect(readSyslog("Use the BFG!", NOW)).toMatchObject({ form: "none", severity: null, text: "Use the BFG!" });
  });
  it("example 2, as a relay passes it on", () => {
    expect(readSyslog("<13>Feb  5 17:32:18 10.0.0.99 Use the BFG!", NOW)).toMatchObject({
      form: "rfc3164",
      severity: 5,
      atMs: Date.parse("2026-02-05T17:32:18Z"),
      host: "10.0.0.99",
      app: "",
      text: "Use the BFG!",
    });
  });
  it("§4.1.3: a tag with a process number", () => {
    expect(readSyslog("<13>Feb  5 17:32:18 10.0.0.99 myproc[10]: started", NOW)).toMatchObject({
      app: "myproc",
      process: "10",
      text: "started",
    });
  });
  it("takes the nearest year over new year", () => {
    expect(readSyslog("<13>Dec 31 23:59:59 h p: t", Date.parse("2026-01-01T00:00:10Z")).atMs).toBe(
      Date.parse("2025-12-31T23:59:59Z"),
    );
  });
});

it.each([
  "",
  "<",
  "<192>1 - - - - - - x",
  "<034>1 - - - - - - x",
  "<34>",
  "<34>1 yesterday h a p m - t",
  "<34>1 - h a p m [x t",
  "\u0000\u0001",
])("keeps %j whole in some form and never fails", (line) => {
  expect(() => readSyslog(line, NOW)).not.toThrow();
  expect(readSyslog(line, NOW).form).not.toBe("rfc5424");
});

// Source: OpenTelemetry logs data model, appendix B, table "Syslog".
it("maps severities as the data model does", () => {
  expect([0, 1, 2, 3, 4, 5, 6, 7].map(severityOfSyslog)).toEqual([21, 19, 18, 17, 13, 10, 9, 5]);
  expect(severityOfSyslog(null)).toBe(0);
});

// Source: RFC 6587 §3.4.1 octet counting and §3.4.2 non-transparent framing.
describe("RFC 6587", () => {
  const bytes = (text: string) => new TextEncoder().encode(text);
  const texts = (list: Uint8Array[]) => list.map((one) => new TextDecoder().decode(one));
  it.each(["counted", "lines"])("cuts %s messages right however the stream is cut", (framing) => {
    const message = fc
      .string({ unit: fc.constantFrom("a", "b", " ", "<", "7", "ü"), maxLength: 30 })
      .map((text) => `<13>${text}`);
    fc.assert(
      fc.property(
        fc.array(message, { maxLength: 12 }),
        fc.array(fc.nat({ max: 40 }), { maxLength: 20 }),
        (messages, cuts) => {
          const stream = bytes(
            messages.map((one) => (framing === "counted" ? `${bytes(one).length} ${one}` : `${one}\n`)).join(""),
          );
          const reader = new SyslogFraming();
          const found: string[] = [];
          let place = 0;
          for (const cut of [...cuts, stream.length]) {
            found.push(...texts(reader.take(stream.subarray(place, place + cut))));
            place += cut;
          }
          expect([...found, ...texts(reader.end())]).toEqual(messages);
        },
      ),
    );
  });
  it("cuts what is too long and goes on after it", () => {
    const reader = new SyslogFraming(10);
    expect(texts(reader.take(bytes("20 <13>abcdefghijklmnop8 <13>next")))).toEqual(["<13>abcdef", "<13>next"]);
  });
});
