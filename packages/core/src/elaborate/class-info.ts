import type { Loc } from "../common/source.ts";
import type { Access, ClassItem, SubroutineItem } from "../hdl/verilog/ast.ts";
import type { Scope } from "./scope.ts";
import type { DataType } from "./types.ts";

/** A variable that every object of a class has. */
export interface ClassProperty {
  readonly name: string;
  readonly type: DataType;
  /** Its place in an object, those of base classes before. */
  readonly slot: number;
  readonly owner: ClassInfo;
  readonly access: Access;
  readonly isConst: boolean;
  readonly loc: Loc;
}

interface ClassSlot {
  readonly name: string;
  readonly type: DataType;
}

/** A class with its parameters' values (IEEE 1800-2017 clause 8). */
export interface ClassInfo {
  /** Place in the design's list of classes. */
  readonly id: number;
  /** With the values of its parameters, for messages. */
  readonly name: string;
  readonly node: ClassItem;
  readonly base: ClassInfo | null;
  readonly scope: Scope;
  /** An object's variables, those of base classes first. */
  readonly slots: ClassSlot[];
  /** Classes that extend it, made so far. */
  readonly derived: ClassInfo[];
}

/** A class as it is declared: one for each place of its text in the hierarchy, its parameters open. */
export interface ClassDecl {
  readonly node: ClassItem;
  readonly scope: Scope;
  /** By the values of its parameters. */
  readonly made: Map<string, ClassInfo>;
  /** Bodies of its extern methods. */
  readonly bodies: Map<string, SubroutineItem>;
}

/** What runs need to know of a class. */
export interface ClassModel {
  readonly id: number;
  readonly name: string;
  readonly slots: readonly ClassSlot[];
  /** Ids of the class and all that it extends. */
  readonly lineage: readonly number[];
}

export function lineageOf(info: ClassInfo): number[] {
  const list: number[] = [];
  for (let at: ClassInfo | null = info; at; at = at.base) list.push(at.id);
  return list;
}
export const extendsClass = (info: ClassInfo, base: ClassInfo): boolean => lineageOf(info).includes(base.id);
