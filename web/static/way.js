// The way of a tune: one key each, and where one left a tune is kept in this browser, so that coming back to it opens there.
document.addEventListener('DOMContentLoaded', () => {
  const way = document.querySelector('.way');
  if (way) {
    if (way.dataset.left) localStorage.setItem(`left:${way.dataset.of}`, way.dataset.left);
    window.addEventListener('keydown', (e) => {
      const digit = /^Digit([1-6])$/.exec(e.code);
      if (!digit || !e.shiftKey || e.ctrlKey || e.metaKey || e.altKey || e.target.closest?.('input, textarea, select')) return;
      e.preventDefault();
      way.querySelector(`[data-way="${digit[1]}"]`)?.click();
    });
    way.querySelector('[aria-current]')?.scrollIntoView({ block: 'nearest', inline: 'center' });
  }
  document.querySelectorAll('[data-tune]').forEach((a) => {
    const left = localStorage.getItem(`left:${a.dataset.tune}`);
    if (left?.startsWith(`/tunes/${a.dataset.tune}`)) a.href = left;
  });
});
