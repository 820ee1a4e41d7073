/**
 * Growth exponent: slope of log(time) over log(size) by least squares.
 * @param {(readonly [number, number])[]} points Size and time of each run.
 */
export function exponent(points) {
  const xs = points.map(([size]) => Math.log(size));
  const ys = points.map(([, time]) => Math.log(Math.max(time, 0.01)));
  const mean = (list) => list.reduce((sum, value) => sum + value, 0) / list.length;
  const [mx, my] = [mean(xs), mean(ys)];
  return xs.reduce((sum, x, i) => sum + (x - mx) * (ys[i] - my), 0) / xs.reduce((sum, x) => sum + (x - mx) ** 2, 0);
}
