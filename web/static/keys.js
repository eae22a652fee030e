// The map of the keys that work on this page, shown by ?: made from what is on the page, so that it cannot say anything else. What no button stands for is told by data-keymap: "Key=what it does|…".
document.addEventListener('DOMContentLoaded', () => {
  const map = document.getElementById('keymap');
  const opener = document.querySelector('.keymap-open');
  const words = (el) => {
    const copy = el.cloneNode(true);
    copy.querySelectorAll('kbd').forEach((k) => k.remove());
    return (el.dataset.what || el.getAttribute('aria-label') || copy.textContent).replace(/\s+/g, ' ').trim();
  };
  const named = { ' ': 'Space', ArrowLeft: '←', ArrowRight: '→', ArrowUp: '↑', ArrowDown: '↓', PageDown: 'Page Down', PageUp: 'Page Up', Escape: 'Esc' };

  const rows = () => {
    const out = [];
    document.querySelectorAll('[data-keymap]').forEach((el) => el.dataset.keymap.split('|').forEach((pair) => out.push(pair.split('='))));
    document.querySelectorAll('[data-key], [data-keys]').forEach((el) => {
      if (el.disabled || (!el.getClientRects().length && !el.closest('.leaf, .menu')) || /^\d$/.test(el.dataset.key)) return; // the digits are told at once
      const keys = (el.dataset.key ?? '') !== '' ? [el.dataset.key] : (el.dataset.keys ?? '').split(' ').filter(Boolean);
      if (keys.length) out.push([keys.map((k) => named[k] ?? k).join(', '), words(el)]);
    });
    document.querySelectorAll('.top > .way [data-way]').forEach((a) => out.push([`Shift ${a.dataset.way}`, words(a)]));
    document.querySelectorAll('[data-shelf]').forEach((a) => out.push([`Shift ${a.dataset.shelf}`, words(a)]));
    out.push(['?', 'this list']);
    return out;
  };

  const open = () => {
    const list = map.querySelector('dl');
    list.replaceChildren();
    rows().forEach(([key, what]) => {
      const [dt, dd] = ['dt', 'dd'].map((tag) => document.createElement(tag));
      const kbd = document.createElement('kbd');
      kbd.textContent = key;
      dt.append(kbd);
      dd.textContent = what;
      list.append(dt, dd);
    });
    map.showModal();
    map.querySelector('h2').focus(); // it opens at its beginning, not at the button that closes it
    map.scrollTop = 0;
  };

  // Key caps on the buttons: while ? is down, and for who has asked for them. A short ? opens the list.
  const shown = document.documentElement;
  const toggle = document.querySelector('.caps-toggle');
  const caps = (on) => {
    if (on) shown.dataset.caps = 'on'; else delete shown.dataset.caps;
    toggle.setAttribute('aria-pressed', String(Boolean(localStorage.getItem('caps'))));
  };
  const soon = 400; // ms that ? is down until it only shows the caps
  let since = 0;
  caps(localStorage.getItem('caps'));
  toggle.hidden = matchMedia('(hover: none)').matches; // there are no keys on a tablet
  toggle.addEventListener('click', () => {
    if (localStorage.getItem('caps')) localStorage.removeItem('caps'); else localStorage.setItem('caps', 'on');
    caps(localStorage.getItem('caps'));
  });
  opener.hidden = false;
  opener.addEventListener('click', open);
  window.addEventListener('keydown', (e) => {
    if (e.key !== '?' || e.ctrlKey || e.metaKey || e.altKey || e.target.closest?.('input, textarea, select')) return;
    e.preventDefault();
    if (e.repeat) return;
    since = performance.now();
    caps(true);
  });
  window.addEventListener('keyup', (e) => {
    if (!since || e.key === 'Shift') return;
    const long = performance.now() - since > soon;
    since = 0;
    caps(localStorage.getItem('caps'));
    if (!long) open();
  });
  window.addEventListener('blur', () => { since = 0; caps(localStorage.getItem('caps')); });

  // Menus close when something in them is chosen, by Escape, and by a touch elsewhere.
  const close = (but) => document.querySelectorAll('details.menu[open]').forEach((m) => { if (m !== but) m.open = false; });
  document.addEventListener('click', (e) => {
    const menu = e.target.closest('details.menu');
    close(menu);
    if (menu && e.target.closest('.menu-box') && e.target.closest('a, button:not([aria-pressed])')) menu.open = false;
  });
  window.addEventListener('keydown', (e) => {
    const menu = e.key === 'Escape' && document.querySelector('details.menu[open]');
    if (!menu) return;
    menu.open = false;
    menu.querySelector('summary').focus();
    e.stopImmediatePropagation();
  }, true);
  map.addEventListener('keydown', (e) => { // what is beneath does not hear the keys meant for the list
    e.stopPropagation();
    if (e.key === '?') map.close();
  });
});
