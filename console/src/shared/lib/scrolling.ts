const SCROLLERS = '[class*="overflow-"], pre'
const FOCUSABLE =
  'a[href], button, input, select, textarea, [tabindex]:not([tabindex="-1"]), [contenteditable="true"]'
const OURS = 'data-scrolls'

function scrolls(e: Element): boolean {
  const style = getComputedStyle(e)
  const across = /auto|scroll/.test(style.overflowX) && e.scrollWidth > e.clientWidth + 1
  const down = /auto|scroll/.test(style.overflowY) && e.scrollHeight > e.clientHeight + 1
  return across || down
}

/** Whatever scrolls and holds nothing that takes the focus takes it itself, so that keys can scroll it. */
export function makeScrollersReachable(root: ParentNode) {
  for (const e of root.querySelectorAll<HTMLElement>(SCROLLERS)) {
    const wanted = scrolls(e) && !e.querySelector(FOCUSABLE)
    if (wanted && !e.hasAttribute('tabindex')) {
      e.tabIndex = 0
      e.setAttribute(OURS, '')
    } else if (!wanted && e.hasAttribute(OURS)) {
      e.removeAttribute('tabindex')
      e.removeAttribute(OURS)
    }
  }
}

/** Keeps doing so while the page changes, once for each picture that is drawn. */
export function keepScrollersReachable(root: HTMLElement) {
  let asked = false
  const ask = () => {
    if (!asked) {
      asked = true
      requestAnimationFrame(() => {
        asked = false
        makeScrollersReachable(root)
      })
    }
  }
  new MutationObserver(ask).observe(root, { childList: true, subtree: true, characterData: true })
  addEventListener('resize', ask)
}
