/** A cell of a list of pins, whole in its title where it is cut. */
export function PinCell({ text, look = "" }: { text: string; look?: string }) {
  return (
    <td className={`truncate py-0.5 pr-3 font-mono text-xs ${look}`} title={text}>
      {text}
    </td>
  );
}
