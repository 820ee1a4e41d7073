import type { ClassModel } from "../../elaborate/class-info.ts";
import type { DataType } from "../../elaborate/types.ts";
import { Container } from "./container.ts";

/**
 * An object while the simulation runs (IEEE 1800-2017 clause 8). Each variable has two places in `p`: the planes of its
 * bits (numbers up to 32 bits, bigints above), or its value and nothing. JavaScript takes it away when no handle is left.
 */
export class ObjectValue {
  constructor(
    readonly model: ClassModel,
    readonly p: unknown[],
  ) {}
}

/** A value with what it is: bits with their width, a real, or what JavaScript holds. */
export class TypedValue {
  constructor(
    readonly kind: "bits" | "real" | "string",
    readonly value: unknown,
    readonly width: number,
  ) {}
}

/** Thrown where a value is taken as one of another type. */
export class WrongTypeError extends Error {
  override name = "WrongTypeError";
  constructor(readonly place: number) {
    super("What the mailbox holds is of another type than the variable");
  }
}

/** Thrown where a handle is used that holds no object. */
export class NullHandleError extends Error {
  override name = "NullHandleError";
  constructor(
    /** Number of the place among those of the program. */
    readonly place: number,
  ) {
    super("There is no object here: the handle is null");
  }
}

/** What a variable holds that is given no value. */
function startOf(type: DataType): [unknown, unknown] {
  switch (type.kind) {
    case "integral": {
      const ones = type.fourState ? (1n << BigInt(type.width)) - 1n : 0n;
      const start = type.width <= 32 ? Number(BigInt.asIntN(32, ones)) : ones;
      return [start, start];
    }
    case "container":
      return [new Container(type), null];
    case "real":
      return [0, null];
    default:
      return ["", null];
  }
}

export function makeObject(model: ClassModel): ObjectValue {
  return new ObjectValue(
    model,
    model.slots.flatMap(({ type }) => startOf(type)),
  );
}

/** Its variables as they are; objects that they name are the same, arrays are copied. */
export function copyObject({ model, p }: ObjectValue): ObjectValue {
  return new ObjectValue(
    model,
    p.map((value) => (value instanceof Container ? value.copy() : value)),
  );
}
