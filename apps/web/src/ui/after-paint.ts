/** Does something once the page has shown what has just been answered: whoever dropped or typed sees that it was heard. */
export function afterPaint(work: () => void): void {
  requestAnimationFrame(() => setTimeout(work));
}
