/** Methods of strings (IEEE 1800-2017 clause 6.16). Those that change the string give the new one. */
export function stringMethod(name: string, text: string, args: readonly (string | number)[]): string | number {
  const [first, second] = args;
  switch (name) {
    case "len":
      return text.length;
    case "getc":
      return text.charCodeAt(Number(first)) || 0;
    case "putc": {
      const at = Number(first);
      const c = typeof second === "string" ? second : String.fromCharCode(Number(second) & 255);
      return at < 0 || at >= text.length || c === "\0" ? text : text.slice(0, at) + c + text.slice(at + 1);
    }
    case "toupper":
      return text.toUpperCase();
    case "tolower":
      return text.toLowerCase();
    case "substr": {
      const [from, to] = [Number(first), Number(second)];
      return from < 0 || to < from || to >= text.length ? "" : text.slice(from, to + 1);
    }
    case "compare":
    case "icompare": {
      const fold = (value: string) => (name === "icompare" ? value.toLowerCase() : value);
      const [a, b] = [fold(text), fold(String(first))];
      return a < b ? -1 : a > b ? 1 : 0;
    }
    case "atoi":
      return Number.parseInt(/^\d[\d_]*/.exec(text)?.[0].replace(/_/g, "") ?? "0", 10);
    case "atohex":
      return Number.parseInt(/^[\da-fA-F_]+/.exec(text)?.[0].replace(/_/g, "") || "0", 16);
    case "atobin":
      return Number.parseInt(/^[01_]+/.exec(text)?.[0].replace(/_/g, "") || "0", 2);
    case "atooct":
      return Number.parseInt(/^[0-7_]+/.exec(text)?.[0].replace(/_/g, "") || "0", 8);
    case "atoreal":
      return Number.parseFloat(text) || 0;
    case "itoa":
      return String(Number(first));
    case "hextoa":
      return Number(first).toString(16);
    case "bintoa":
      return Number(first).toString(2);
    case "octtoa":
      return Number(first).toString(8);
    case "realtoa":
      return String(Number(first));
    default:
      return 0;
  }
}
