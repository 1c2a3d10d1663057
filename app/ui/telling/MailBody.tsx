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
  // A preview has no pictures yet: a frame stands where each will be.
  const framed = shown.replaceAll(/cid:[\w-]+/g, PLACE);
  const page = `<!doctype html><meta charset="utf-8"><style>body{margin:8px;background:#fffdf9;color:#1d2326;font-family:"Atkinson Hyperlegible Next Variable",sans-serif}img{max-width:100%;height:auto}td{padding-right:12px}</style>${framed}`;
  return <iframe className="hx-mail-body" sandbox="" srcDoc={page} title={title} />;
}

const PLACE = `data:image/svg+xml,${encodeURIComponent('<svg xmlns="http://www.w3.org/2000/svg" width="600" height="180"><rect x="1" y="1" width="598" height="178" fill="none" stroke="#857d6c" stroke-dasharray="6 4"/><text x="300" y="95" text-anchor="middle" font-family="sans-serif" font-size="14" fill="#5a5f5c">the chart stands here</text></svg>')}`;
