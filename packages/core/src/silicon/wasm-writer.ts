/** Writes WebAssembly modules byte by byte (W3C WebAssembly Core Specification 1.0, section 5, with bulk memory). */

export const op = {
  block: 0x02,
  loop: 0x03,
  if: 0x04,
  else: 0x05,
  end: 0x0b,
  br: 0x0c,
  brIf: 0x0d,
  call: 0x10,
  select: 0x1b,
  localGet: 0x20,
  localSet: 0x21,
  localTee: 0x22,
  i32Load: 0x28,
  i32Store: 0x36,
  i32Const: 0x41,
  i64Const: 0x42,
  i32Eqz: 0x45,
  i32Ne: 0x47,
  i32LtU: 0x49,
  i32Add: 0x6a,
  i32Sub: 0x6b,
  i32And: 0x71,
  i32Or: 0x72,
  i32Xor: 0x73,
  i32Shl: 0x74,
  i32ShrU: 0x76,
  i64ShrU: 0x88,
  i32WrapI64: 0xa7,
  i64ExtendI32U: 0xad,
} as const;
export const i32 = 0x7f;
const voidBlock = 0x40;

/** Bytes that grow; numbers in LEB128. */
class ByteWriter {
  private buffer = new Uint8Array(256);
  length = 0;

  byte(value: number): void {
    if (this.length === this.buffer.length) {
      const next = new Uint8Array(this.buffer.length * 2);
      next.set(this.buffer);
      this.buffer = next;
    }
    this.buffer[this.length++] = value;
  }
  unsigned(value: number): void {
    let rest = value >>> 0;
    do {
      const low = rest & 127;
      rest >>>= 7;
      this.byte(rest ? low | 128 : low);
    } while (rest);
  }
  signed(value: bigint): void {
    let rest = value;
    for (;;) {
      const low = Number(rest & 127n);
      rest >>= 7n;
      const done = (rest === 0n && (low & 64) === 0) || (rest === -1n && (low & 64) !== 0);
      this.byte(done ? low : low | 128);
      if (done) return;
    }
  }
  bytes(values: Uint8Array): void {
    for (const value of values) this.byte(value);
  }
  text(value: string): void {
    this.unsigned(value.length);
    for (let i = 0; i < value.length; i++) this.byte(value.charCodeAt(i));
  }
  result(): Uint8Array {
    return this.buffer.slice(0, this.length);
  }
}

/** Body of one function. */
export class CodeWriter extends ByteWriter {
  constant(value: number): void {
    this.byte(op.i32Const);
    this.signed(BigInt(value | 0));
  }
  load(address: number): void {
    this.byte(op.i32Const);
    this.byte(0);
    this.loadAt(address);
  }
  /** With the base address on the stack. */
  loadAt(offset: number): void {
    this.byte(op.i32Load);
    this.byte(2);
    this.unsigned(offset);
  }
  /** Before the value is pushed. */
  beginStore(): void {
    this.byte(op.i32Const);
    this.byte(0);
  }
  endStore(address: number): void {
    this.byte(op.i32Store);
    this.byte(2);
    this.unsigned(address);
  }
  get(local: number): void {
    this.byte(op.localGet);
    this.unsigned(local);
  }
  set(local: number): void {
    this.byte(op.localSet);
    this.unsigned(local);
  }
  call(func: number): void {
    this.byte(op.call);
    this.unsigned(func);
  }
  open(kind: number): void {
    this.byte(kind);
    this.byte(voidBlock);
  }
  branch(kind: number, depth: number): void {
    this.byte(kind);
    this.unsigned(depth);
  }
  end(): void {
    this.byte(op.end);
  }
  copyMemory(to: number, from: number, count: number): void {
    this.constant(to);
    this.constant(from);
    this.constant(count);
    this.bytes(Uint8Array.of(0xfc, 10, 0, 0));
  }
}

export interface WasmFunction {
  readonly params: number;
  readonly results: number;
  readonly locals: number;
  readonly code: CodeWriter;
  readonly exportName: string | null;
}

/** A module with its own exported memory and these functions, all on i32. */
export function writeModule(functions: readonly WasmFunction[], pages: number): Uint8Array {
  const out = new ByteWriter();
  out.bytes(Uint8Array.of(0, 0x61, 0x73, 0x6d, 1, 0, 0, 0));
  const section = (id: number, fill: (body: ByteWriter) => void) => {
    const body = new ByteWriter();
    fill(body);
    out.byte(id);
    out.unsigned(body.length);
    out.bytes(body.result());
  };
  section(1, (body) => {
    body.unsigned(functions.length);
    for (const func of functions) {
      body.byte(0x60);
      body.unsigned(func.params);
      for (let i = 0; i < func.params; i++) body.byte(i32);
      body.unsigned(func.results);
      for (let i = 0; i < func.results; i++) body.byte(i32);
    }
  });
  section(3, (body) => {
    body.unsigned(functions.length);
    functions.forEach((_, i) => body.unsigned(i));
  });
  section(5, (body) => {
    body.unsigned(1);
    body.byte(0);
    body.unsigned(pages);
  });
  section(7, (body) => {
    const exported = functions.map((func, i) => ({ name: func.exportName, i })).filter((entry) => entry.name !== null);
    body.unsigned(exported.length + 1);
    body.text("memory");
    body.byte(2);
    body.unsigned(0);
    for (const entry of exported) {
      body.text(entry.name!);
      body.byte(0);
      body.unsigned(entry.i);
    }
  });
  section(10, (body) => {
    body.unsigned(functions.length);
    for (const func of functions) {
      const inner = new ByteWriter();
      inner.unsigned(func.locals ? 1 : 0);
      if (func.locals) {
        inner.unsigned(func.locals);
        inner.byte(i32);
      }
      inner.bytes(func.code.result());
      inner.byte(op.end);
      body.unsigned(inner.length);
      body.bytes(inner.result());
    }
  });
  return out.result();
}
