import { titleOf, type ChartData } from "#core/drawing/chart";
import type { MessageTemplate } from "#core/telling/template";
import type { Db } from "../store/database";
import type { Access } from "../vault/kinds";
import { composed } from "./compose";
import { pictureName, type Asked } from "./facts-of";
import { drawChart } from "./picture";
import type { Handed, Picture } from "./ways/way";
import { wayOf } from "./ways/registry";

/** A message that is to be composed and handed over, with what that takes. */
export interface Job {
  asked: Asked;
  kind: string;
  settings: Record<string, unknown>;
  access: Access | undefined;
  address: string;
  name: string;
  thread: string | null;
  version: number;
  /** A template that is tried before it is saved. */
  template?: MessageTemplate | undefined;
}

export interface JobEnd extends Handed {
  subject: string;
  sentence: string;
  tookMs: number;
}

/** Composes a message of what is known now, and hands it over. Whatever happens is an answer: nothing is thrown. */
export async function handOver(db: Db, root: string, job: Job): Promise<JobEnd> {
  const began = performance.now();
  const end = (handed: Handed, subject = "", sentence = ""): JobEnd => ({
    ...handed,
    subject,
    sentence,
    tookMs: Math.round(performance.now() - began),
  });
  const way = wayOf(job.kind);
  if (!way) return end({ outcome: "refused", answer: `There is no way of telling called “${job.kind}”.` });
  try {
    const known = composed(db, root, job.asked, job.template);
    if (!known) return end({ outcome: "refused", answer: "The incident is not there any more." });
    const { facts, charts, message, remark } = known;
    const handed = await way.send(
      {
        name: job.name,
        thread: job.thread,
        to: { address: job.address, name: job.asked.to },
        message,
        pictures: way.kind === "mail" ? charts.map(pictureOf) : [],
        facts,
        version: job.version,
        atMs: job.asked.nowMs,
      },
      job.settings,
      job.access,
    );
    const sentence = "incident" in facts ? facts.incident.sentence : message.subject;
    return end(
      { ...handed, answer: remark ? `${handed.answer} (${remark})` : handed.answer },
      message.subject,
      sentence,
    );
  } catch (error) {
    return end({ outcome: "retry", answer: error instanceof Error ? error.message : String(error) });
  }
}

const pictureOf = (chart: ChartData, index: number): Picture => ({
  cid: pictureName(index),
  title: titleOf(chart),
  png: drawChart(chart),
});
