import type { DesignFile } from "@gate-clock/contract";
import { placedPorts, withoutPins } from "@gate-clock/core";
import { useCallback, useMemo, useRef } from "react";
import { useTexts } from "../../workbench/context.ts";
import type { Beside } from "../../workbench/edit-history.ts";

/** Acts on port bits in the pin files that hold their lines. */
export interface PinTexts {
  /** Pin files with their texts as they stand, in their order. */
  readonly files: readonly { readonly name: string; readonly text: string }[];
  /**
   * Changes lines. Each bit's line is changed where it is; bits without one go to the file that is open, or to the first
   * one that is used.
   * @param change Gets a text and the bits that are its.
   * @param beside What is done to more than texts, and goes back with them.
   * @returns False where there is no file to write to.
   */
  act(
    label: string,
    bits: readonly string[],
    change: (text: string, own: readonly string[]) => string,
    beside?: Beside,
  ): boolean;
  /** Takes the lines of bits away. */
  remove(label: string, bits: readonly string[]): boolean;
}

export function usePinTexts(files: readonly DesignFile[], open: DesignFile | undefined): PinTexts {
  const { drafts } = useTexts();
  const latest = useRef({ drafts, files, open });
  latest.current = { drafts, files, open };
  const act = useCallback<PinTexts["act"]>((label, bits, change, beside) => {
    const { drafts, files, open } = latest.current;
    const home = open && files.includes(open) ? open : files[0];
    if (!home) {
      if (beside) drafts.act(label, [], beside);
      return false;
    }
    const left = new Set(bits);
    const texts = files.map((file) => {
      const text = drafts.text(file);
      const lines = placedPorts(text);
      const own = bits.filter((bit) => lines.has(bit) && left.delete(bit));
      return { file, text, own };
    });
    for (const each of texts) if (each.file === home) each.own.push(...left);
    const changed = texts.flatMap(({ file, text, own }) => {
      const next = own.length ? change(text, own) : text;
      return next === text ? [] : [{ fileId: file.id, text: next }];
    });
    if (changed.length || beside) drafts.act(label, changed, beside);
    return true;
  }, []);
  const remove = useCallback<PinTexts["remove"]>(
    (label, bits) => act(label, bits, (text, own) => withoutPins(text, new Set(own))),
    [act],
  );
  const { texts } = drafts;
  const named = useMemo(
    () => files.map(({ id, path, text }) => ({ name: path, text: texts.get(id) ?? text })),
    [files, texts],
  );
  return { files: named, act, remove };
}
