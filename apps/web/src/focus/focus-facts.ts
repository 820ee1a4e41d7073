import type { LineFacts, ObjectFacts, Place } from "@gate-clock/core";
import { formatNs } from "../ui/format.ts";

/** One thing that is known of what has the focus. */
export interface Fact {
  readonly name: string;
  readonly text: string;
  /** Where it leads: a place in the text, a path in the report, another object. */
  readonly leads?:
    | { readonly to: "place"; readonly place: Place }
    | { readonly to: "path"; readonly index: number }
    | { readonly to: "net"; readonly net: string };
}

/** What the panel says of an object, in the order of the work: where it is written, what it became, where it sits, how fast. */
export function objectFacts(of: ObjectFacts, isTimed: boolean): Fact[] {
  const facts: Fact[] = [];
  const { writtenAt, carriedBy, became, tile, pin, fanout, wires, worst } = of;
  if (writtenAt) {
    const place = { file: writtenAt.file, line: writtenAt.line };
    facts.push({ name: "Written", text: `${place.file}:${place.line}`, leads: { to: "place", place } });
  }
  facts.push({ name: fanout === null ? "Became" : "Driven by", text: became });
  if (carriedBy) facts.push({ name: "As", text: carriedBy, leads: { to: "net", net: carriedBy } });
  if (pin) facts.push({ name: "Pin", text: pin });
  if (tile) facts.push({ name: "Sits", text: `x${tile.x} y${tile.y}` });
  if (fanout !== null) facts.push({ name: "Fan-out", text: String(fanout) });
  if (wires !== null) facts.push({ name: "Wires", text: String(wires) });
  if (worst) {
    const { slackPs, to } = worst.path;
    const text = slackPs === null ? "no goal" : `${formatNs(slackPs)} ns, to ${to}`;
    facts.push({ name: "Slack", text, leads: { to: "path", index: worst.index } });
  } else if (isTimed && fanout !== null) facts.push({ name: "Slack", text: "on no path listed" });
  return facts;
}

const mostNets = 4;

/** What a line of the source became. */
export function lineFacts({ counts, nets }: LineFacts): Fact[] {
  if (counts.length === 0) return [{ name: "Became", text: "nothing of its own" }];
  const text = counts.map(([kind, count]) => `${count} ${count === 1 ? kind : `${kind}s`}`).join(", ");
  const shown = nets
    .slice(0, mostNets)
    .map((net, i): Fact => ({ name: i ? "" : "Nets", text: net, leads: { to: "net", net } }));
  const rest = nets.length - shown.length;
  return [{ name: "Became", text }, ...shown, ...(rest > 0 ? [{ name: "", text: `and ${rest} more` }] : [])];
}
