import { startTransition, StrictMode } from "react";
import { hydrateRoot } from "react-dom/client";
import { HydratedRouter } from "react-router/dom";

startTransition(() => {
  hydrateRoot(
    document,
    <StrictMode>
      {/* A move is drawn in one go: in slices, a page takes longer to come. */}
      <HydratedRouter useTransitions={false} />
    </StrictMode>,
  );
});
