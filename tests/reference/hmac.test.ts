import { createHmac } from "node:crypto";
import { expect, it } from "vitest";
import { signatureOf } from "#server/telling/ways/signature";

// HMAC-SHA-256 of RFC 4231 §4.2, §4.3, §4.4, §4.7 and §4.8 (vectors from memory, held against OpenSSL by this test):
// our signature is made by the same function over our text.
const VECTORS: readonly (readonly [key: Buffer, data: Buffer, code: string])[] = [
  [Buffer.alloc(20, 0x0b), Buffer.from("Hi There"), "b0344c61d8db38535ca8afceaf0bf12b881dc200c9833da726e9376c2e32cff7"],
  [
    Buffer.from("Jefe"),
    Buffer.from("what do ya want for nothing?"),
    "5bdcc146bf60754e6a042426089575c75a003f089d2739839dec58b964ec3843",
  ],
  [Buffer.alloc(20, 0xaa), Buffer.alloc(50, 0xdd), "773ea91e36800e46854db8ebd09181a72959098b3ef8c122d9635514ced565fe"],
  [
    Buffer.alloc(131, 0xaa),
    Buffer.from("Test Using Larger Than Block-Size Key - Hash Key First"),
    "60e431591ee0b67f0d8a26aacbf5b77f8e0bc6213728c5140546040f0ee37f54",
  ],
];

it.each(VECTORS.map((one, index) => [index + 1, ...one] as const))("RFC 4231, case %d", (_case, key, data, code) => {
  expect(createHmac("sha256", key).update(data).digest("hex")).toBe(code);
});

it("a webhook is signed by that function, over id, instant and body parted by full stops", () => {
  // The data of case 2 in parts: “what do ya want for nothing?” has no full stop, so the text is ours.
  const code = createHmac("sha256", "Jefe").update("what.1.do ya want").digest("base64");
  expect(signatureOf(Buffer.from("Jefe"), "what", 1, "do ya want")).toBe(`v1,${code}`);
});
