"""A slow, forgetful line between a page and its server: answers come late, and some are lost after the work was done."""

from __future__ import annotations

from playwright.sync_api import BrowserContext, Page

SCRIPT = """
(() => {
  const real = window.fetch.bind(window);
  // late: ms an answer waits, at most; lost: share of answers to changes that never come; held: changes that wait until let go.
  const chaos = globalThis.chaos = { late: 0, lost: 0, seed: 1, held: null, log: [] };
  const random = () => { chaos.seed = (chaos.seed * 1103515245 + 12345) % 2147483648; return chaos.seed / 2147483648; };
  const wait = (ms) => new Promise((go) => setTimeout(go, ms));
  chaos.hold = () => { chaos.waiting = []; chaos.held = true; };
  chaos.letGo = (count = Infinity) => {
    for (const go of chaos.waiting.splice(0, count)) go();
    if (count === Infinity) chaos.held = null;
  };
  window.fetch = async (url, options = {}) => {
    const changes = options.method === 'POST';
    const lost = changes && random() < chaos.lost;
    const late = random() * chaos.late;
    const answer = await real(url, options);
    if (changes) chaos.log.push(String(url));
    if (changes && chaos.held) await new Promise((go) => chaos.waiting.push(go));
    if (late) await wait(late);
    if (lost) throw new TypeError('the answer was lost');
    return answer;
  };
})();
"""


def unruly(context: BrowserContext) -> None:
    """Pages of this context have a line that can be made slow."""
    context.add_init_script(SCRIPT)


def line_is(page: Page, late: int = 0, lost: float = 0.0, seed: int = 1) -> None:
    """How slow the line is, ms, and which share of answers is lost."""
    page.evaluate("([late, lost, seed]) => Object.assign(chaos, { late, lost, seed })", [late, lost, seed])


def hold(page: Page) -> None:
    """Answers to changes wait from now on; the server has done them."""
    page.evaluate("chaos.hold()")


def let_go(page: Page, count: int | None = None) -> None:
    """So many answers come, or all."""
    page.evaluate("(count) => chaos.letGo(count ?? Infinity)", count)
