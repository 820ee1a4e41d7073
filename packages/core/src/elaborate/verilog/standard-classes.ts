import { InvariantError } from "../../common/finding.ts";
import { SourceSet } from "../../common/source.ts";
import type { ClassItem } from "../../hdl/verilog/ast.ts";
import { parseVerilog } from "../../hdl/verilog/parser.ts";

/**
 * Mailboxes and semaphores (IEEE 1800-2017 clauses 15.3 and 15.4). Those who wait are served in the order of their
 * coming: they are woken in that order, and who finds nothing waits again. `any_value` stands for values of every type.
 */
const text = `
class mailbox #(type T = any_value);
  local T held[$];
  local int bound;
  function new(int bound = 0);
    this.bound = bound;
  endfunction
  function int num();
    return held.size();
  endfunction
  task put(T message);
    wait (bound <= 0 || held.size() < bound);
    held.push_back(message);
  endtask
  function int try_put(T message);
    if (bound > 0 && held.size() >= bound) return 0;
    held.push_back(message);
    return 1;
  endfunction
  task get(inout T message);
    wait (held.size() > 0);
    message = held.pop_front();
  endtask
  function int try_get(inout T message);
    if (held.size() == 0) return 0;
    message = held.pop_front();
    return 1;
  endfunction
  task peek(inout T message);
    wait (held.size() > 0);
    message = held[0];
  endtask
  function int try_peek(inout T message);
    if (held.size() == 0) return 0;
    message = held[0];
    return 1;
  endfunction
endclass
class semaphore;
  local int keys;
  function new(int keyCount = 0);
    keys = keyCount;
  endfunction
  task put(int keyCount = 1);
    keys += keyCount;
  endtask
  task get(int keyCount = 1);
    wait (keys >= keyCount);
    keys -= keyCount;
  endtask
  function int try_get(int keyCount = 1);
    if (keys < keyCount) return 0;
    keys -= keyCount;
    return 1;
  endfunction
endclass
`;

let classes: readonly ClassItem[] | null = null;

/** Syntax of the classes that every design knows, with places outside of all files. */
export function standardClasses(): readonly ClassItem[] {
  if (classes) return classes;
  const { unitItems, findings } = parseVerilog(new SourceSet([{ name: "standard.sv", text }]));
  if (findings.length) throw new InvariantError(`standard classes: ${findings[0].message}`);
  const away = (value: unknown): void => {
    if (typeof value !== "object" || value === null) return;
    if ("file" in value && "start" in value) (value as { file: number }).file = -1;
    for (const inner of Object.values(value)) away(inner);
  };
  away(unitItems);
  classes = unitItems.filter((item): item is ClassItem => item.kind === "class");
  return classes;
}
