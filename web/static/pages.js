// Small behaviours of single pages.
document.addEventListener('alpine:init', () => {
  // keys lets links and buttons that name their keys be reached by them.
  Alpine.data('keys', () => ({
    init() {
      Parts.poll(this.$root);
      window.addEventListener('keydown', (e) => {
        if (e.ctrlKey || e.metaKey || e.altKey || e.target.closest('input, textarea, select')) return;
        const at = [...this.$root.querySelectorAll('[data-keys]')].find((el) => el.dataset.keys.split(' ').includes(e.key));
        if (at) { e.preventDefault(); at.click(); }
      });
    },
  }));

  // drop takes a file that is dropped on the form.
  Alpine.data('drop', () => ({
    init() {
      const field = this.$root.querySelector('input[type="file"]');
      this.$root.addEventListener('dragover', (e) => { e.preventDefault(); this.$root.classList.add('is-over'); });
      this.$root.addEventListener('dragleave', () => this.$root.classList.remove('is-over'));
      this.$root.addEventListener('drop', (e) => {
        e.preventDefault();
        this.$root.classList.remove('is-over');
        if (!e.dataTransfer.files.length) return;
        field.files = e.dataTransfer.files;
        field.form.requestSubmit();
      });
    },
  }));

  // ranking follows a ranking that is being worked out.
  Alpine.data('ranking', () => ({
    init() {
      window.addEventListener('keydown', (e) => {
        if (e.target.closest('input, textarea, select, button, a')) return;
        const at = this.$root.querySelector(`[data-keys="${CSS.escape(e.key)}"]`);
        if (at) { e.preventDefault(); at.click(); }
      });
      this.follow();
    },

    async follow() {
      if (!this.$root.querySelector('[data-running]')) return;
      await new Promise((done) => { setTimeout(done, 800); });
      try {
        Parts.fill(document.getElementById('ranking'), await Parts.html(location.href));
      } catch { /* the next try may reach it */ }
      this.follow();
    },
  }));

  // pattern shows what the beat grid becomes while it is edited.
  Alpine.data('pattern', () => ({
    asking: null,

    init() {
      const form = document.getElementById('editor');
      form.addEventListener('change', () => this.preview(form));
      form.addEventListener('keydown', (e) => { if (e.altKey && e.key.startsWith('Arrow')) this.move(e); });
    },

    async preview(form) {
      this.asking?.abort();
      this.asking = new AbortController();
      const preview = document.getElementById('preview');
      try {
        const html = await Parts.html(form.dataset.preview, { body: Parts.of(form), signal: this.asking.signal });
        if (html !== null) Parts.fill(preview, html);
      } catch (err) {
        preview.textContent = `${err.message} What you typed is above.`;
      }
    },

    // move goes from one cell of the grid to the next.
    move(e) {
      const cell = e.target.closest('td');
      if (!cell) return;
      const row = cell.parentElement;
      const rows = [...row.parentElement.children];
      const dx = { ArrowLeft: -1, ArrowRight: 1 }[e.key] || 0;
      const dy = { ArrowUp: -1, ArrowDown: 1 }[e.key] || 0;
      const to = rows[rows.indexOf(row) + dy]?.children[cell.cellIndex + dx]?.querySelector('input, select');
      if (to) { e.preventDefault(); to.focus(); }
    },
  }));
});
