import ssh2 from "ssh2";
import { z } from "zod";

const secret = (title: string, most = 256) =>
  z.string(`Give the ${title.toLowerCase()}.`).min(1, `Give the ${title.toLowerCase()}.`).max(most);
const user = z.string("Give the user.").trim().min(1, "Give the user.").max(80).meta({ title: "User" });

/** A kind of credential: what of it may be shown, and what is sealed. */
export interface CredentialKind {
  id: string;
  label: string;
  /** Where it serves. */
  serves: "snmp" | "ssh" | "http" | "mail" | "webhook" | "database";
  /** Fields that are shown; with `.meta({ title })`. */
  open: z.ZodObject;
  /** Fields that are sealed and never shown again. */
  sealed: z.ZodObject;
}

/** Every kind of credential; a new one is a line here. */
export const CREDENTIAL_KINDS: readonly CredentialKind[] = [
  {
    id: "snmp-community",
    label: "SNMP v1/v2c community",
    serves: "snmp",
    open: z.strictObject({
      version: z
        .enum(["2c", "1"])
        .default("2c")
        .meta({ title: "Version", choices: ["SNMP v2c", "SNMP v1"] }),
    }),
    sealed: z.strictObject({ community: secret("Community", 4096).meta({ title: "Community" }) }),
  },
  {
    id: "snmp-user",
    label: "SNMPv3 user",
    serves: "snmp",
    open: z.strictObject({
      user,
      authentication: z
        .enum(["sha256", "sha512", "sha", "md5", "none"])
        .default("sha256")
        .meta({ title: "Authentication", choices: ["SHA-256", "SHA-512", "SHA-1", "MD5", "none"] }),
      privacy: z
        .enum(["aes", "des", "none"])
        .default("aes")
        .meta({ title: "Privacy", choices: ["AES-128", "DES", "none"] }),
    }),
    sealed: z.strictObject({
      authenticationKey: z.string().max(256).default("").meta({ title: "Authentication password" }),
      privacyKey: z.string().max(256).default("").meta({ title: "Privacy password" }),
    }),
  },
  {
    id: "ssh-key",
    label: "SSH key",
    serves: "ssh",
    open: z.strictObject({ user }),
    sealed: z.strictObject({
      privateKey: secret("Private key", 16_384)
        .refine(
          (text) => !(ssh2.utils.parseKey(text) instanceof Error),
          "This is no private key that can be read; a key with a passphrase has it removed first.",
        )
        .meta({ title: "Private key", lines: true }),
    }),
  },
  {
    id: "ssh-password",
    label: "SSH password",
    serves: "ssh",
    open: z.strictObject({ user }),
    sealed: z.strictObject({ password: secret("Password", 1024).meta({ title: "Password" }) }),
  },
  {
    id: "basic",
    label: "HTTP user and password",
    serves: "http",
    open: z.strictObject({ user }),
    sealed: z.strictObject({ password: secret("Password", 1024).meta({ title: "Password" }) }),
  },
  {
    id: "bearer",
    label: "HTTP bearer token",
    serves: "http",
    open: z.strictObject({}),
    sealed: z.strictObject({ token: secret("Token", 4096).meta({ title: "Token" }) }),
  },
  {
    id: "oauth-client",
    label: "OAuth 2 client",
    serves: "http",
    open: z.strictObject({
      clientId: z
        .string("Give the client id.")
        .trim()
        .min(1, "Give the client id.")
        .max(200)
        .meta({ title: "Client id" }),
    }),
    sealed: z.strictObject({ clientSecret: secret("Client secret", 4096).meta({ title: "Client secret" }) }),
  },
  {
    id: "signing-key",
    label: "Key pair for signed requests",
    serves: "http",
    open: z.strictObject({
      keyId: z.string("Give the key id.").trim().min(1, "Give the key id.").max(200).meta({ title: "Key id" }),
    }),
    sealed: z.strictObject({ key: secret("Secret key", 4096).meta({ title: "Secret key" }) }),
  },
  {
    id: "database-user",
    label: "User of a database",
    serves: "database",
    open: z.strictObject({ user }),
    sealed: z.strictObject({ password: secret("Password", 1024).meta({ title: "Password" }) }),
  },
  {
    id: "mail-user",
    label: "User of a mail server",
    serves: "mail",
    open: z.strictObject({ user }),
    sealed: z.strictObject({ password: secret("Password", 1024).meta({ title: "Password" }) }),
  },
  {
    id: "webhook-secret",
    label: "Secret that webhooks are signed with",
    serves: "webhook",
    open: z.strictObject({}),
    sealed: z.strictObject({
      secret: secret("Secret", 1024)
        .min(16, "Use at least 16 characters that nobody can guess.")
        .meta({ title: "Secret" }),
    }),
  },
  {
    id: "client-certificate",
    label: "Client certificate",
    serves: "http",
    open: z.strictObject({}),
    sealed: z.strictObject({
      certificate: secret("Certificate", 65_536).meta({ title: "Certificate (PEM)", lines: true }),
      privateKey: secret("Private key", 16_384).meta({ title: "Private key (PEM)", lines: true }),
    }),
  },
];

export const kindOfCredential = (id: string): CredentialKind | undefined =>
  CREDENTIAL_KINDS.find((kind) => kind.id === id);

/** A credential as it is used: opened for one purpose, in memory only. */
export interface Access {
  id: number;
  name: string;
  kind: string;
  fields: Readonly<Record<string, string>>;
  destinations: string;
}
