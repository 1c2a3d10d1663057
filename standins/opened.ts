import PostalMime from "postal-mime";
import type { Kept } from "./mailbox";

/** What a list of messages shows of one. */
export async function headOf({ raw, number, atMs, from, to, messageId }: Kept) {
  const end = raw.indexOf("\r\n\r\n");
  const { subject = "", inReplyTo = "" } = await PostalMime.parse(raw.subarray(0, end < 0 ? raw.length : end + 4));
  return { number, atMs, from, to, messageId, subject, inReplyTo, bytes: raw.length };
}

/** A message as a mail program shows it: headers, both bodies, pictures. */
export async function opened(kept: Kept) {
  const mail = await PostalMime.parse(kept.raw);
  return {
    ...(await headOf(kept)),
    headers: mail.headers.map((one) => ({ name: one.originalKey ?? one.key, value: one.value })),
    text: mail.text ?? "",
    html: mail.html ?? "",
    pictures: mail.attachments.map(({ contentId, mimeType, content, filename }) => ({
      cid: (contentId ?? "").replaceAll(/^<|>$/g, ""),
      name: filename ?? "",
      type: mimeType,
      base64: Buffer.from(content as ArrayBuffer).toString("base64"),
    })),
  };
}
