import "reflect-metadata";
import * as x509 from "@peculiar/x509";
import { createHash, webcrypto } from "node:crypto";

x509.cryptoProvider.set(webcrypto as Crypto);

const DAY_MS = 86_400_000;
const ALGORITHM = { name: "ECDSA", namedCurve: "P-256", hash: "SHA-256" } as const;

/** Key and certificate, PEM. */
export interface Identity {
  key: string;
  cert: string;
}

const pem = (label: string, bytes: ArrayBuffer) =>
  `-----BEGIN ${label}-----\n${(
    Buffer.from(bytes)
      .toString("base64")
      .match(/.{1,64}/g) ?? []
  ).join("\n")}\n-----END ${label}-----\n`;

/** Issues certificates of a pretended house: all under one authority, which is made at the start. */
export class Authority {
  private readonly ready: Promise<{ keys: CryptoKeyPair; cert: x509.X509Certificate }>;

  constructor(private readonly organisation: { domain: string; maker: string }) {
    this.ready = this.make();
  }

  private async make() {
    const keys = (await webcrypto.subtle.generateKey(ALGORITHM, true, ["sign", "verify"])) as CryptoKeyPair;
    const cert = await x509.X509CertificateGenerator.createSelfSigned({
      name: `CN=${this.organisation.maker} house authority`,
      notBefore: new Date(Date.UTC(2020, 0, 1)),
      notAfter: new Date(Date.UTC(2040, 0, 1)),
      signingAlgorithm: ALGORITHM,
      keys,
      extensions: [new x509.BasicConstraintsExtension(true, 1, true)],
    });
    return { keys, cert };
  }

  /** A certificate for a host, good until an instant. */
  async issue(name: string, untilMs: number): Promise<Identity> {
    const authority = await this.ready;
    const keys = (await webcrypto.subtle.generateKey(ALGORITHM, true, ["sign", "verify"])) as CryptoKeyPair;
    const full = `${name}.${this.organisation.domain}`;
    const cert = await x509.X509CertificateGenerator.create({
      serialNumber: createHash("sha256").update(`${full} ${untilMs}`).digest("hex").slice(0, 16),
      subject: `CN=${full}`,
      issuer: authority.cert.subject,
      notBefore: new Date(untilMs - 398 * DAY_MS),
      notAfter: new Date(untilMs),
      signingAlgorithm: ALGORITHM,
      publicKey: keys.publicKey,
      signingKey: authority.keys.privateKey,
      extensions: [new x509.SubjectAlternativeNameExtension([{ type: "dns", value: full }])],
    });
    return {
      key: pem("PRIVATE KEY", await webcrypto.subtle.exportKey("pkcs8", keys.privateKey)),
      cert: `${cert.toString("pem")}\n`,
    };
  }
}
