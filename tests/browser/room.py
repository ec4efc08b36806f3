"""What a page gives room to: its words, its controls, its paper, and what of it cannot be reached or read."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from playwright.sync_api import Page

_SEEN = """
  const seen = (node) => {
    const box = node.getBoundingClientRect();
    if (!box.width || !box.height || !node.checkVisibility({ visibilityProperty: true, opacityProperty: true })) return null;
    // What a box scrolls out of sight is reached by scrolling it.
    for (let up = node.parentElement; up && up !== document.body; up = up.parentElement) {
      const around = up.getBoundingClientRect();
      const how = getComputedStyle(up);
      const scrolls = /auto|scroll/.test(how.overflowX + how.overflowY);
      const [x, y] = [box.left + box.width / 2, box.top + box.height / 2];
      if (scrolls && (x < around.left || x > around.right || y < around.top || y > around.bottom)) return null;
      if (how.position === 'fixed') break;
    }
    return box;
  };
"""

COUNT = (
    "() => {"
    + _SEEN
    + """
  const words = [];
  const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  while (walk.nextNode()) {
    const { parentElement: parent, textContent } = walk.currentNode;
    if (!textContent.trim() || /SCRIPT|STYLE|OPTION/.test(parent.tagName) || parent.closest('svg, [hidden]') || !seen(parent)) continue;
    words.push(...textContent.trim().split(/\\s+/).filter((word) => /[A-Za-z]{2}/.test(word)));
  }
  const controls = [...document.querySelectorAll('button, a[href], input, select, summary')].filter(seen).length;
  let paper = 0;
  const sheet = document.querySelector('#paper .sheet-of-paper');
  const table = document.getElementById('table')?.getBoundingClientRect();
  if (sheet && table) {
    const box = sheet.getBoundingClientRect();
    const wide = Math.max(0, Math.min(box.right, table.right) - Math.max(box.left, table.left));
    const high = Math.max(0, Math.min(box.bottom, table.bottom) - Math.max(box.top, table.top));
    paper = (wide * high) / (innerWidth * innerHeight);
  }
  return { words: words.length, controls, paper };
}"""
)

FAULTS = (
    "() => {"
    + _SEEN
    + """
  const name = (node) => `${node.tagName.toLowerCase()}${node.id ? `#${node.id}` : ''} “${(node.getAttribute('aria-label') || node.textContent || '').trim().slice(0, 30)}”`;
  const faults = [];
  // A panel that is opened over the room is what is looked at.
  const dialog = document.querySelector('dialog[open], .history:not([hidden])');
  for (const node of (dialog ?? document).querySelectorAll('button, a[href], input, select, summary, textarea')) {
    const box = seen(node);
    if (!box || node.closest('.visually-hidden') || node.type === 'file' || getComputedStyle(node).pointerEvents === 'none') continue;
    // What lies over the paper on purpose, as frames and notes that hang on a place of it, goes where the paper goes.
    if (node.closest('#paper, .reference, #alternatives')) continue;
    const [x, y] = [box.left + box.width / 2, box.top + box.height / 2];
    if (x < 0 || y < 0 || x > innerWidth || y > innerHeight) { faults.push(`${name(node)} lies outside the view`); continue; }
    const top = document.elementFromPoint(x, y);
    const label = node.closest('label');
    if (top && top !== node && !node.contains(top) && !top.contains(node) && !(label && label.contains(top))) { faults.push(`${name(node)} is covered by ${name(top)}`); continue; }
    if (/^(BUTTON|A|SUMMARY)$/.test(node.tagName)) {
      const how = getComputedStyle(node);
      const clips = how.overflowX !== 'visible' && how.textOverflow !== 'ellipsis';
      if (clips && node.scrollWidth > node.clientWidth + 1) faults.push(`${name(node)} is clipped`);
    }
  }
  return faults;
}"""
)


@dataclass(frozen=True, slots=True)
class Counted:
    """Visible words of two letters or more, visible controls, and the share of the screen that the paper covers."""

    words: int
    controls: int
    paper: float


def counted(page: Page) -> Counted:
    found: dict[str, Any] = page.evaluate(COUNT)
    return Counted(int(found["words"]), int(found["controls"]), float(found["paper"]))


def faults(page: Page) -> list[str]:
    """Controls that are seen and cannot be pressed or read: covered, outside the view, clipped."""
    return list(page.evaluate(FAULTS))
