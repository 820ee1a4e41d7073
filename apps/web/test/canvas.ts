/** What a drawing puts on a canvas, in its order. Lines: x0 y0 x1 y1. */
export type Mark =
  | { readonly kind: "fill"; readonly colour: string; readonly box: readonly [number, number, number, number] }
  | { readonly kind: "line"; readonly colour: string; readonly dashed: boolean; readonly ends: readonly number[] }
  | { readonly kind: "shape"; readonly colour: string }
  | { readonly kind: "text"; readonly colour: string; readonly text: string; readonly x: number; readonly y: number };

/** A canvas that keeps what is drawn: a drawing is a function of what it shows, and can be looked at as one. */
export function recordingCanvas(): { readonly ctx: CanvasRenderingContext2D; readonly marks: Mark[] } {
  const marks: Mark[] = [];
  let [x, y, startX, startY] = [0, 0, 0, 0];
  let path: number[][] = [];
  let dash: readonly number[] = [];
  const ctx = {
    fillStyle: "",
    strokeStyle: "",
    lineWidth: 1,
    lineJoin: "miter",
    globalAlpha: 1,
    font: "",
    textAlign: "left",
    textBaseline: "alphabetic",
    clearRect() {},
    save() {},
    restore() {},
    clip() {
      path = [];
    },
    rect() {},
    arc(cx: number, cy: number) {
      [x, y] = [cx, cy];
    },
    setLineDash(given: readonly number[]) {
      dash = given;
    },
    beginPath() {
      path = [];
    },
    closePath() {
      path.push([x, y, startX, startY]);
    },
    moveTo(toX: number, toY: number) {
      [x, y, startX, startY] = [toX, toY, toX, toY];
    },
    lineTo(toX: number, toY: number) {
      path.push([x, y, toX, toY]);
      [x, y] = [toX, toY];
    },
    stroke() {
      for (const ends of path) marks.push({ kind: "line", colour: ctx.strokeStyle, dashed: dash.length > 0, ends });
    },
    fill() {
      marks.push({ kind: "shape", colour: ctx.fillStyle });
    },
    fillRect(left: number, top: number, width: number, height: number) {
      marks.push({ kind: "fill", colour: ctx.fillStyle, box: [left, top, width, height] });
    },
    fillText(text: string, at: number, down: number) {
      marks.push({ kind: "text", colour: ctx.fillStyle, text, x: at, y: down });
    },
  };
  return { ctx: ctx as unknown as CanvasRenderingContext2D, marks };
}
