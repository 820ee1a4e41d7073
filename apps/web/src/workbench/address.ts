/** What the address says of the view, which goes along from station to station. */
const viewKeys = ["target", "trial", "against"] as const;

/** Address of a station of a design, with what is looked at now. @param own Of that station alone. */
export function stationAddress(designId: string, station: string, own: Readonly<Record<string, string>> = {}): string {
  const params = new URLSearchParams(own);
  const now = new URLSearchParams(location.search);
  for (const key of viewKeys) {
    const value = now.get(key);
    if (value !== null) params.set(key, value);
  }
  const text = params.toString();
  return `/designs/${designId}/${station}${text ? `?${text}` : ""}`;
}

/** The same view with other words of its station: for `setSearchParams`. */
export function onlyView(own: Readonly<Record<string, string>> = {}): (old: URLSearchParams) => URLSearchParams {
  return (old) => {
    const next = new URLSearchParams(own);
    for (const key of viewKeys) {
      const value = old.get(key);
      if (value !== null) next.set(key, value);
    }
    return next;
  };
}
