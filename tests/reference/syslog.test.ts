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
      isZoned: true,
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

// Lines as programs write them. Taken down from Debian 12's packages running (rsyslog 8.2302, haproxy 2.6, nginx 1.22,
// OpenSSH 9.2, PostgreSQL 15, cron, systemd, dnsmasq 2.90), network equipment from RFC 3164 §5.4 and common practice.
describe("lines of real programs", () => {
  const at = "2026-03-17T09:59:58.000Z";
  it.each([
    [
      "rsyslog, traditional",
      "<30>Mar 17 09:59:58 quay-1 systemd[1]: Started Session 4.",
      ["quay-1", "systemd", "1", "Started Session 4."],
    ],
    [
      "rsyslog, forwarded",
      "<30>2026-03-17T09:59:58.000000+00:00 quay-1 systemd[1]: Started Session 4.",
      ["quay-1", "systemd", "1", "Started Session 4."],
    ],
    [
      "haproxy to a log server",
      '<134>Mar 17 09:59:58 haproxy[812]: 192.0.2.7:51000 [17/Mar/2026:09:59:58.120] in web/web 0/0/1/2/3 200 115 - - ---- 1/1/0/0/0 0/0 "GET / HTTP/1.1"',
      [
        "",
        "haproxy",
        "812",
        '192.0.2.7:51000 [17/Mar/2026:09:59:58.120] in web/web 0/0/1/2/3 200 115 - - ---- 1/1/0/0/0 0/0 "GET / HTTP/1.1"',
      ],
    ],
    [
      "nginx",
      '<190>Mar 17 09:59:58 quay-2 nginx: 192.0.2.7 - - [17/Mar/2026:09:59:58 +0000] "GET / HTTP/1.1" 200 2',
      ["quay-2", "nginx", "", '192.0.2.7 - - [17/Mar/2026:09:59:58 +0000] "GET / HTTP/1.1" 200 2'],
    ],
    [
      "sshd",
      "<38>Mar 17 09:59:58 quay-1 sshd[4711]: Accepted publickey for operator from 192.0.2.9 port 40110 ssh2",
      ["quay-1", "sshd", "4711", "Accepted publickey for operator from 192.0.2.9 port 40110 ssh2"],
    ],
    [
      "the kernel",
      "<6>Mar 17 09:59:58 quay-1 kernel: [12345.678901] eth0: link is up",
      ["quay-1", "kernel", "", "[12345.678901] eth0: link is up"],
    ],
    [
      "cron",
      "<78>Mar 17 09:59:58 quay-1 CRON[99]: (root) CMD (run-parts /etc/cron.hourly)",
      ["quay-1", "CRON", "99", "(root) CMD (run-parts /etc/cron.hourly)"],
    ],
    [
      "PostgreSQL",
      "<134>Mar 17 09:59:58 quay-3 postgres[77]: [3-1] LOG:  checkpoint starting: time",
      ["quay-3", "postgres", "77", "[3-1] LOG:  checkpoint starting: time"],
    ],
    [
      "postfix",
      "<22>Mar 17 09:59:58 quay-4 postfix/smtpd[5]: connect from unknown[192.0.2.1]",
      ["quay-4", "postfix/smtpd", "5", "connect from unknown[192.0.2.1]"],
    ],
    ["dnsmasq", "<30>Mar 17 09:59:58 dnsmasq[9]: started, version 2.90", ["", "dnsmasq", "9", "started, version 2.90"]],
    [
      "a firewall, with the year",
      "<166>Mar 17 2026 09:59:58 gate-fw : %FW-6-302013: Built outbound TCP connection",
      ["gate-fw", "", "", ": %FW-6-302013: Built outbound TCP connection"],
    ],
    [
      "a switch, with a count, a fraction and a clock that is not set",
      "<189>42: *Mar 17 09:59:58.120: %LINK-3-UPDOWN: Interface Gi0/1, changed state to up",
      ["", "%LINK-3-UPDOWN", "", "Interface Gi0/1, changed state to up"],
    ],
    ["a router, with the year first", "<189>2026 Mar 17 09:59:58 UTC: router-1 app: up", ["router-1", "app", "", "up"]],
    [
      "a library that puts modules into its tag",
      "<14>Mar 17 09:59:58 quay-5 billing::jobs[31]: done",
      ["quay-5", "billing::jobs", "31", "done"],
    ],
    [
      "a service with a blank in its name",
      "<14>Mar 17 09:59:58 quay-5 Yard Planner[31]: ready",
      ["quay-5", "Yard Planner", "31", "ready"],
    ],
    ["a line without priority", "Mar 17 09:59:58 quay-1 backup: done", ["quay-1", "backup", "", "done"]],
  ] as const)("%s", (_, line, [host, app, process, text]) => {
    const read = readSyslog(line, NOW);
    expect(read).toMatchObject({ form: "rfc3164", host, app, process, text });
    expect(new Date(Math.floor((read.atMs as number) / 1000) * 1000).toISOString()).toBe(at);
  });
  it("rsyslog in the form of RFC 5424, which leaves a blank before what it passes on", () =>
    expect(readSyslog("<28>1 2026-03-17T09:59:58.077000+00:00 quay-1 yard/planner 4711 - -  late", NOW)).toMatchObject({
      form: "rfc5424",
      app: "yard/planner",
      text: "late",
    }));
  it("a device that says where it is and one that does not", () => {
    expect(readSyslog("<30>2026-03-17T11:59:58+02:00 a b: c", NOW)).toMatchObject({
      atMs: Date.parse(at),
      isZoned: true,
    });
    expect(readSyslog("<30>Mar 17 11:59:58 a b: c", NOW).isZoned).toBe(false);
  });
});
