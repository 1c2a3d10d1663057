import ssh2 from "ssh2";

/**
 * A fresh Ed25519 key pair in the form that ssh2 reads: `{ private, public }`. Now and then ssh2 writes a key that it
 * cannot read again, so each is read back before it is used.
 */
export function makeKeyPair() {
  for (;;) {
    const pair = ssh2.utils.generateKeyPairSync("ed25519");
    if (!(ssh2.utils.parseKey(pair.private) instanceof Error) && !(ssh2.utils.parseKey(pair.public) instanceof Error))
      return pair;
  }
}
