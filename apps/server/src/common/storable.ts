/**
 * The value as the database can keep it: text there holds no zero characters, and no halves of surrogate pairs. They come
 * from what designs print; what is shown in their place is the sign for an unknown character.
 */
export function storable<T>(value: T): T {
  if (typeof value === "string") return storableText(value) as T;
  if (Array.isArray(value)) return value.map((each) => storable(each)) as T;
  if (typeof value === "object" && value !== null)
    return Object.fromEntries(Object.entries(value).map(([key, each]) => [storableText(key), storable(each)])) as T;
  return value;
}

function storableText(text: string): string {
  return text.replace(/\0|\p{Cs}/gu, "\ufffd");
}
