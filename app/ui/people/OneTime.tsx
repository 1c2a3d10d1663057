import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import { useState } from "react";
import { useMounted } from "../mounted";

/** Something that is shown this once: a link, a token, a code. */
export function OneTime({ what, text, isAddress = false }: { what: string; text: string; isAddress?: boolean }) {
  const mounted = useMounted();
  const [copied, setCopied] = useState("");
  const whole = isAddress && mounted ? `${window.location.origin}${text}` : text;
  const copy = async () => {
    try {
      await navigator.clipboard.writeText(whole);
      setCopied(whole);
    } catch {
      // Browsers forbid it on some addresses; the text is there to be marked.
    }
  };
  return (
    <Alert severity="info" variant="outlined" icon={false} sx={{ mb: 1.5, color: "text.primary" }} role="status">
      <strong>{what}.</strong> It is shown this once; hand it over yourself.
      <div className="hx-row">
        <code className="hx-one-time">{whole}</code>
        <Button onClick={() => void copy()}>{copied === whole ? "Copied" : "Copy"}</Button>
      </div>
    </Alert>
  );
}
