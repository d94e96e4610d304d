/**
 * What is copied from a page is exact: a number, day or moment that stands there as the person reads it (`data-exact`) is
 * copied as it is stored. What is copied in part stays as it is shown.
 */
export function copyExactly(event: ClipboardEvent): void {
  const selection = getSelection();
  if (!selection || selection.isCollapsed) return;
  const shown = selection.toString();
  let text = '';
  let rest = shown;
  for (const element of document.querySelectorAll<HTMLElement>('[data-exact]')) {
    if (!selection.containsNode(element, true)) continue;
    const said = element.innerText;
    const at = rest.indexOf(said);
    if (at < 0) continue;
    text += rest.slice(0, at) + element.dataset.exact;
    rest = rest.slice(at + said.length);
  }
  if (text + rest === shown) return;
  event.clipboardData?.setData('text/plain', text + rest);
  event.preventDefault();
}
