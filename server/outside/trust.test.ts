import { rootCertificates } from "node:tls";
import { describe, expect, it } from "vitest";
import { secureContextOf } from "./trust";

describe("what connections trust", () => {
  const [one, two] = rootCertificates as readonly [string, string];
  it("is made once for the same authority and certificate, and anew for another", () => {
    expect(secureContextOf(one)).toBe(secureContextOf(one));
    expect(secureContextOf(two)).not.toBe(secureContextOf(one));
    expect(secureContextOf(undefined)).not.toBe(secureContextOf(one));
  });
  it("is not kept where the certificate or key cannot be used", () => {
    expect(() => secureContextOf(one, { cert: "nonsense", key: "nonsense" })).toThrow(/PEM|no start line/i);
  });
  it("does not grow without end", () => {
    const first = secureContextOf("authority 0");
    for (let index = 1; index <= 64; index++) secureContextOf(`authority ${index}`);
    expect(secureContextOf("authority 0")).not.toBe(first);
  });
});
