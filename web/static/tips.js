// Signs explain themselves: what has data-tip says it under the pointer, at the keyboard's focus, and under a finger that stays.
document.addEventListener('DOMContentLoaded', () => {
  const soon = 350; // ms that a pointer rests, or a finger stays
  const tip = document.createElement('p');
  tip.id = 'tip';
  tip.setAttribute('role', 'tooltip');
  tip.hidden = true;
  document.querySelector('.top').append(tip);
  let timer = 0;
  let held = false; // a finger has brought it: its lifting is no click

  const hide = () => { clearTimeout(timer); tip.hidden = true; };
  const show = (el, x, y) => {
    tip.textContent = el.dataset.tip;
    tip.hidden = false;
    const box = tip.getBoundingClientRect();
    tip.style.left = `${Math.max(8, Math.min(x + 12, innerWidth - box.width - 8))}px`;
    tip.style.top = `${y + 22 + box.height < innerHeight ? y + 22 : Math.max(8, y - box.height - 14)}px`;
  };
  // A row that can be clicked lies over the signs in it.
  const at = (x, y) => document.elementsFromPoint(x, y).map((el) => el.closest('[data-tip]')).find(Boolean);

  document.addEventListener('pointermove', (e) => {
    if (e.pointerType === 'touch') return;
    hide();
    const el = at(e.clientX, e.clientY);
    if (el) timer = setTimeout(() => show(el, e.clientX, e.clientY), soon);
  });
  document.addEventListener('pointerdown', (e) => {
    hide();
    held = false;
    const el = e.pointerType === 'touch' && at(e.clientX, e.clientY);
    if (el) timer = setTimeout(() => { held = true; show(el, e.clientX, e.clientY - 60); }, soon + 150);
  });
  ['pointerup', 'pointercancel'].forEach((over) => document.addEventListener(over, () => clearTimeout(timer)));
  document.addEventListener('contextmenu', (e) => { if (held) e.preventDefault(); });
  document.addEventListener('click', (e) => { if (held) { held = false; e.preventDefault(); e.stopPropagation(); } }, true);
  document.addEventListener('focusin', (e) => {
    hide();
    const el = e.target.closest('[data-tip]');
    if (!el || !e.target.matches(':focus-visible')) return;
    const box = el.getBoundingClientRect();
    show(el, box.left, box.bottom - 16);
  });
  document.addEventListener('focusout', hide);
  document.addEventListener('scroll', hide, true);
  document.addEventListener('keydown', (e) => { if (e.key === 'Escape') hide(); });
});
