// The way of a tune and the shelf: one key each with Shift, and where one left a tune is kept in this browser, so that coming back to it opens there.
document.addEventListener('DOMContentLoaded', () => {
  const way = document.querySelector('.way');
  if (way) {
    if (way.dataset.left) localStorage.setItem(`left:${way.dataset.of}`, way.dataset.left);
    way.querySelector('[aria-current]')?.scrollIntoView({ block: 'nearest', inline: 'center' });
  }
  window.addEventListener('keydown', (e) => {
    if (!e.shiftKey || e.ctrlKey || e.metaKey || e.altKey || e.target.closest?.('input, textarea, select, dialog')) return;
    const digit = /^Digit([1-6])$/.exec(e.code);
    const to = digit ? way?.querySelector(`[data-way="${digit[1]}"]`) : [...document.querySelectorAll('[data-shelf]')].find((a) => a.dataset.shelf === e.key.toUpperCase());
    if (!to) return;
    e.preventDefault();
    to.click();
  });
  document.querySelectorAll('[data-tune]').forEach((a) => {
    const left = localStorage.getItem(`left:${a.dataset.tune}`);
    if (left?.startsWith(`/tunes/${a.dataset.tune}`)) a.href = left;
  });
});
