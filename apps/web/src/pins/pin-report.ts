import { jsPDF } from "jspdf";
import { autoTable } from "jspdf-autotable";
import { drawPackage, labelRoom, type Spot, shortName } from "./package-drawing.ts";
import { abilities, type PinState, shownLabel } from "./pin-state.ts";

/** Points of a page: A4 upright. */
const page = { width: 595, height: 842, margin: 42 };
const ink: [number, number, number] = [31, 39, 66];
const soft: [number, number, number] = [89, 96, 122];
const line: [number, number, number] = [150, 145, 135];

/** Letters that the fonts of every reader have; others become a question mark. */
const plain = (text: string) => text.replaceAll("…", "..").replace(/[^\x20-\x7e\xa0-\xff]/g, "?");

/**
 * The pins of a design as a document to print: package, banks, ports, contacts and findings.
 * @param when As it is to be read.
 */
export function buildPinReport(state: PinState, design: string, target: string, when: string): ArrayBuffer {
  const doc = new jsPDF({ unit: "pt", format: "a4" });
  doc.setProperties({ title: plain(`Pins of ${design}`), subject: state.part.name });
  doc
    .setFont("helvetica", "bold")
    .setFontSize(18)
    .setTextColor(...ink);
  doc.text(plain(`Pins of ${design}`), page.margin, 60);
  doc
    .setFont("helvetica", "normal")
    .setFontSize(10)
    .setTextColor(...soft);
  const onBoard = state.resolved.ties ? ` on ${state.resolved.ties.title}` : "";
  doc.text(plain(`${state.part.name}${onBoard}, target ${target}, ${when}`), page.margin, 78);
  drawPicture(doc, state, 96);
  const table = (title: string, head: string[], body: string[][], startY?: number) => {
    autoTable(doc, {
      startY: startY ?? lastY(doc) + 30,
      head: [
        [{ content: title, colSpan: head.length, styles: { fontSize: 11, fillColor: 255, textColor: ink } }],
        head,
      ],
      body: body.map((row) => row.map(plain)),
      theme: "plain",
      margin: page.margin,
      styles: { fontSize: 8, cellPadding: 2.5, textColor: ink, lineColor: line, lineWidth: { bottom: 0.3 } },
      headStyles: { textColor: soft, fontStyle: "bold" },
      rowPageBreak: "avoid",
    });
  };
  const { resolved, part } = state;
  table(
    "Banks",
    ["Bank", "Supply, V", "Outputs", "Switching, mA", "carries", "Steady, mA", "carries"],
    resolved.loads.map((load) => [
      String(load.bank + 1),
      String(resolved.lines.banks.get(load.bank)?.volts ?? "any"),
      String(load.outputs.length),
      String(load.switchingMa),
      String(load.mostSwitchingMa),
      String(load.steadyMa),
      String(load.mostSteadyMa),
    ]),
    pictureEnd,
  );
  doc.addPage();
  table(
    "Ports",
    ["Port", "Direction", "Pin", "Bank", "Standard", "Drive", "Slew", "Pull", "More", "Placed by"],
    state.rows
      .filter(({ isVector }) => !isVector)
      .map((row) =>
        [row.id, row.direction, row.pin, row.bank, row.standard, row.drive, row.slew, row.pull, row.more, row.how].map(
          (text) => text.replace("–", "-"),
        ),
      ),
    page.margin,
  );
  table(
    "Contacts",
    ["Contact", "Kind", "Bank", "Able to", "Port"],
    [...state.contacts]
      .sort((a, b) => a.name.localeCompare(b.name, "en", { numeric: true }))
      .map((contact) => [
        contact.name,
        contact.pin ? "signal" : contact.kind,
        contact.pin ? String(contact.pin.bank + 1) : "",
        contact.pin ? abilities(contact.pin, part).join(", ") : "",
        portAt(contact.name, state),
      ]),
  );
  if (resolved.findings.length)
    table(
      "Findings",
      ["", "Where", "What"],
      resolved.findings.map(({ severity, place, message, remedy }) => [
        severity,
        place.file ? `${place.file}:${place.line ?? 1}` : (place.object ?? ""),
        `${message} ${remedy ?? ""}`,
      ]),
    );
  const pages = doc.getNumberOfPages();
  for (let number = 1; number <= pages; number++) {
    doc
      .setPage(number)
      .setFont("helvetica", "normal")
      .setFontSize(8)
      .setTextColor(...soft);
    doc.text(plain(`${design}, ${part.name}`), page.margin, page.height - 24);
    doc.text(`${number} of ${pages}`, page.width - page.margin, page.height - 24, { align: "right" });
  }
  return doc.output("arraybuffer");
}

const pictureEnd = 96 + page.width - 2 * page.margin + 10;
const lastY = (doc: jsPDF) => (doc as unknown as { lastAutoTable?: { finalY: number } }).lastAutoTable?.finalY ?? 0;

function portAt(name: string, { useOf }: PinState): string {
  const use = useOf.get(name);
  if (use?.kind === "line" || use?.kind === "automatic") return use.need.bitName;
  if (use?.kind === "second") return `opposite level of ${use.of}`;
  return use?.kind === "reference" ? `level for ${use.of}` : "";
}

/** The package from above, as the page draws it. */
function drawPicture(doc: jsPDF, state: PinState, top: number): void {
  const picture = drawPackage(state.contacts);
  const scale = (page.width - 2 * page.margin) / picture.width;
  const at = (x: number, y: number): [number, number] => [page.margin + x * scale, top + y * scale];
  const { body, isGrid } = picture;
  doc.setLineWidth(0.5).setDrawColor(...line);
  doc.roundedRect(...at(body.x, body.y), body.width * scale, body.height * scale, 3, 3);
  doc.setFontSize(8).setTextColor(...soft);
  for (const { bank, label } of picture.banks) {
    const volts = state.resolved.lines.banks.get(bank)?.volts;
    const text = `Bank ${bank + 1}${volts === undefined ? "" : `, ${volts} V`}`;
    const half = label.turn === 0 ? 0 : doc.getTextWidth(text) / 2;
    const [x, y] = at(label.x, label.y);
    // text that is turned begins where it is put
    doc.text(text, x, y + (label.turn === 90 ? -half : half), {
      align: label.turn === 0 ? "center" : "left",
      angle: -label.turn,
    });
  }
  doc.setFontSize(Math.max(3, 5 * scale));
  for (const { x, y, text } of picture.marks) doc.text(text, ...at(x, y), { align: "center", baseline: "middle" });
  const labels = new Map(picture.spots.map((spot) => [spot, shownLabel(spot.contact, state)]));
  const room = labelRoom(picture, (spot) => labels.get(spot) !== "");
  for (const spot of picture.spots) {
    const use = state.useOf.get(spot.contact.name)!;
    const isUsed = use.kind === "line" || use.kind === "automatic";
    const isSupply = use.kind === "supply" || use.kind === "test";
    const paint: readonly [number, number, number] = isUsed
      ? [52, 72, 154]
      : isSupply
        ? [225, 220, 208]
        : [255, 255, 255];
    doc.setFillColor(...paint);
    doc.setDrawColor(...soft).setLineWidth(0.4);
    const [x, y] = at(spot.x, spot.y);
    if (isGrid || spot.side === null) doc.circle(x, y, 3.4 * scale, "FD");
    else {
      const [w, h] = spot.side % 2 ? [13, 6.2] : [6.2, 13];
      doc.rect(x - (w * scale) / 2, y - (h * scale) / 2, w * scale, h * scale, "FD");
    }
    if (!isGrid && spot.side !== null) writeLabel(doc, spot, shortName(labels.get(spot)!, room(spot)), scale, x, y);
  }
}

function writeLabel(doc: jsPDF, { side }: Spot, text: string, scale: number, x: number, y: number): void {
  if (!text) return;
  const away = 9 * scale;
  const size = 6.6 * scale;
  doc
    .setFont("courier", "normal")
    .setFontSize(size)
    .setTextColor(...ink);
  const low = size * 0.3;
  const words = plain(text);
  if (side === 0) doc.text(words, x - low, y + away, { angle: -90 });
  else if (side === 1) doc.text(words, x - away, y + low, { align: "right" });
  else if (side === 2) doc.text(words, x - low, y - away - doc.getTextWidth(words), { angle: -90 });
  else doc.text(words, x + away, y + low);
  doc.setFont("helvetica", "normal");
}
