/**
 * The rich body of a mail in a room of its own: no script runs there, nothing is fetched, and its styles stay inside.
 */
export function MailBody({
  html,
  pictures,
  title,
}: {
  html: string;
  pictures: readonly { cid: string; type: string; base64: string }[];
  title: string;
}) {
  const shown = pictures.reduce(
    (text, { cid, type, base64 }) =>
      text.replaceAll(`cid:${cid}`, `data:${/^image\/[a-z]+$/.test(type) ? type : "image/png"};base64,${base64}`),
    html,
  );
  const page = `<!doctype html><meta charset="utf-8"><style>body{margin:8px;background:#fffdf9;color:#1d2326;font-family:"Atkinson Hyperlegible Next Variable",sans-serif}img{max-width:100%;height:auto}td{padding-right:12px}</style>${shown}`;
  return <iframe className="hx-mail-body" sandbox="" srcDoc={page} title={title} />;
}
