/**
 * Order of combinational processes. A process that only follows its inputs can run behind all those that it depends on:
 * then it runs once for each change of a register, however many paths lead to it, and needs no place in the queue of
 * events. Processes in a cycle stay in the queue, where their order does not matter.
 */

export interface LevelNode {
  readonly process: number;
  /** Numbers of the signals it changes. */
  readonly writes: ReadonlySet<number>;
  /** What it changes itself does not start it again. */
  readonly ignoresItself: boolean;
}

/**
 * @param readers Processes that a change of a signal starts.
 * @returns The processes in an order in which each stands behind those that start it; without those in cycles and those
 *   that start themselves. Strongly connected components by Tarjan (1972), without recursion. O(nodes + edges).
 */
export function levelOrder(nodes: readonly LevelNode[], readers: (signal: number) => readonly number[]): number[] {
  const indexOf = new Map(nodes.map((node, i) => [node.process, i]));
  const count = nodes.length;
  const next: number[][] = nodes.map((node) => {
    const list = new Set<number>();
    for (const signal of node.writes)
      for (const reader of readers(signal)) {
        const index = indexOf.get(reader);
        if (index !== undefined && !(node.ignoresItself && reader === node.process)) list.add(index);
      }
    return [...list];
  });
  const order = new Int32Array(count).fill(-1);
  const low = new Int32Array(count);
  const isOpen = new Uint8Array(count);
  const open: number[] = [];
  const result: number[] = [];
  let serial = 0;
  const path: { node: number; at: number }[] = [];
  for (let start = 0; start < count; start++) {
    if (order[start] >= 0) continue;
    path.push({ node: start, at: 0 });
    while (path.length) {
      const top = path[path.length - 1];
      const { node } = top;
      if (top.at === 0) {
        order[node] = low[node] = serial++;
        open.push(node);
        isOpen[node] = 1;
      }
      if (top.at < next[node].length) {
        const to = next[node][top.at++];
        if (order[to] < 0) path.push({ node: to, at: 0 });
        else if (isOpen[to]) low[node] = Math.min(low[node], order[to]);
        continue;
      }
      path.pop();
      if (path.length) {
        const up = path[path.length - 1].node;
        low[up] = Math.min(low[up], low[node]);
      }
      if (low[node] !== order[node]) continue;
      const members: number[] = [];
      for (;;) {
        const member = open.pop()!;
        isOpen[member] = 0;
        members.push(member);
        if (member === node) break;
      }
      if (members.length === 1 && !next[node].includes(node)) result.push(nodes[node].process);
    }
  }
  return result.reverse(); // components are found behind all that they lead to
}
