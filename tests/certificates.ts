import { execFileSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";

/** A private authority made with openssl, and certificates that it issues; all in PEM. */
export function makeAuthority(folder: string) {
  const file = (name: string) => join(folder, name);
  const openssl = (...args: string[]) => execFileSync("openssl", args, { stdio: ["ignore", "pipe", "ignore"] });
  const curve = ["-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes"];
  openssl(
    "req",
    "-x509",
    ...curve,
    "-keyout",
    file("ca.key"),
    "-out",
    file("ca.pem"),
    "-days",
    "30",
    "-subj",
    "/CN=Room authority",
  );
  let serial = 0;
  return {
    cert: readFileSync(file("ca.pem"), "utf8"),
    issue(name: string, { days = 30 }: { days?: number } = {}) {
      const own = `c${++serial}`;
      openssl("req", ...curve, "-keyout", file(`${own}.key`), "-out", file(`${own}.csr`), "-subj", `/CN=${name}`);
      writeFileSync(file(`${own}.ext`), `subjectAltName=DNS:${name}\n`);
      // A certificate whose time is over needs one that began before.
      const when =
        days > 0 ? ["-days", String(days)] : ["-not_before", "20200101000000Z", "-not_after", "20200102000000Z"];
      const sign = ["x509", "-req", "-in", file(`${own}.csr`), "-CA", file("ca.pem"), "-CAkey", file("ca.key")];
      try {
        openssl(...sign, "-out", file(`${own}.pem`), "-extfile", file(`${own}.ext`), ...when);
      } catch {
        // OpenSSL before 3.2 knows no such instants: a certificate of no days ends at once.
        openssl(...sign, "-out", file(`${own}.pem`), "-extfile", file(`${own}.ext`), "-days", "-1");
      }
      return { key: readFileSync(file(`${own}.key`), "utf8"), cert: readFileSync(file(`${own}.pem`), "utf8") };
    },
  };
}
