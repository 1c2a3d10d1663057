import { MessageChannel, Worker } from "node:worker_threads";
import type { ClockSetting } from "#core/time/clock";
import type { Settings } from "../settings";
import type { EngineClient } from "./engine-client";

/** The thread that receives signals: started once the engine is ready, closed before it. */
export class ReceiverClient {
  private readonly worker: Worker;
  /** Rejects with a sentence when a port cannot be had. */
  readonly ready: Promise<void>;

  constructor(file: URL | string, settings: Settings, engine: EngineClient, onFault: (fault: string) => void) {
    const channel = new MessageChannel();
    engine.attach(channel.port1);
    this.worker = new Worker(file, { workerData: { settings, engine: channel.port2 }, transferList: [channel.port2] });
    this.ready = new Promise((resolve, reject) => {
      this.worker.on("message", (message: { kind: string; message?: string; fault?: string }) => {
        if (message.kind === "ready") resolve();
        else if (message.kind === "refused") reject(new Error(message.message));
        else if (message.kind === "fault") onFault(message.fault ?? "");
      });
      this.worker.on("error", reject);
    });
  }

  setClock(setting: ClockSetting): void {
    this.worker.postMessage({ clock: setting });
  }

  async close(): Promise<void> {
    const closed = new Promise<void>((resolve) => this.worker.once("exit", () => resolve()));
    const late = setTimeout(() => void this.worker.terminate(), 3000);
    this.worker.postMessage("close");
    await closed;
    clearTimeout(late);
  }
}
