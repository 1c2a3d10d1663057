import type { ObjectMeta, PodObject } from "./objects";

/** Texts and sets of labels that are kept at most; beyond that, keeping begins anew. */
const MOST = 20_000;

/** Keeps once what very many objects bear alike: labels, name spaces, nodes, images. */
export class Shared {
  private readonly texts = new Map<string, string>();
  private readonly labels = new Map<string, Readonly<Record<string, string>>>();
  private readonly owners = new Map<string, ObjectMeta["owner"]>();

  /** Has an object refer to what others like it hold already. */
  take(object: ObjectMeta): void {
    object.namespace = this.text(object.namespace);
    object.labels = once(this.labels, JSON.stringify(object.labels), object.labels);
    const { owner } = object;
    if (owner) object.owner = once(this.owners, `${owner.sort} ${owner.uid} ${owner.name}`, owner);
    const pod = object as Partial<PodObject>;
    if (pod.node === undefined || !pod.containers) return;
    pod.node = this.text(pod.node);
    pod.phase = this.text(pod.phase ?? "");
    for (const one of pod.containers) {
      one.name = this.text(one.name);
      one.image = this.text(one.image);
      one.state = this.text(one.state);
    }
  }

  private text(text: string): string {
    return once(this.texts, text, text);
  }
}

function once<Value>(kept: Map<string, Value>, key: string, value: Value): Value {
  const known = kept.get(key);
  if (known !== undefined) return known;
  if (kept.size >= MOST) kept.clear();
  kept.set(key, value);
  return value;
}
