// Files go in parts of 1 MiB, each with its hash: a line that breaks costs one part, and a second try is no second file. Without this script the
// same forms send the file as a whole.
const Uploads = {
  part: 1 << 20,
  mostTries: 8, // of one part, over about two minutes
  small: 1 << 20, // music up to this size is sent with its form

  // wanted reports whether a form's file is sent in parts.
  wanted(form, file) { return Boolean(file?.size) && (form.dataset.upload !== 'draft' || file.size > this.small); },

  // ask sends one request until it is answered. It throws an error whose message is for the player.
  async ask(url, options) {
    for (let n = 1; ; n += 1) {
      let fault = Parts.away;
      try {
        const res = await fetch(url, options);
        if (res.ok) return res.status === 204 ? null : await res.json();
        fault = (await res.json().catch(() => ({}))).fault ?? (res.status === 401 ? 'You are signed out. Sign in in another tab, then try again.' : Parts.wrong);
        if (res.status < 500) throw Object.assign(new Error(fault), { final: true });
      } catch (err) {
        if (err.final || n === this.mostTries) throw err.final ? err : new Error(fault);
      }
      await new Promise((done) => { setTimeout(done, Math.min(500 * 2 ** n, 30000)); });
    }
  },

  // send takes a form's file in and returns the address at which it is followed.
  async send(form, file, at) {
    const fields = new FormData(form);
    fields.delete('file');
    fields.delete('abc');
    const begin = new URLSearchParams({ kind: form.dataset.upload, tune: form.dataset.tune ?? '', name: file.name, size: file.size,
      token: [fields.get('key'), form.dataset.upload, file.name, file.size, file.lastModified].join(' ') });
    const { id, place } = await this.ask('/uploads', { method: 'POST', body: begin });
    if (place) return place;
    const parts = Math.ceil(file.size / this.part);
    for (let n = 0; n < parts; n += 1) {
      const data = await file.slice(n * this.part, (n + 1) * this.part).arrayBuffer();
      const sum = btoa(String.fromCharCode(...sha256.array(data)));
      await this.ask(`/uploads/${id}/${n}`, { method: 'PUT', body: data, headers: { 'Content-Digest': `sha-256=:${sum}:`, 'Content-Type': 'application/octet-stream' } });
      at((n + 1) / parts);
    }
    const given = new URLSearchParams(fields);
    given.set('parts', parts);
    return (await this.ask(`/uploads/${id}/given`, { method: 'POST', body: given })).place;
  },

  // submit sends a form's file in parts, and shows in the form how far it is.
  async submit(form, file) {
    let say = form.querySelector('.upload-say');
    if (!say) {
      say = document.createElement('p');
      say.className = 'upload-say';
      say.setAttribute('role', 'status');
      form.append(say);
    }
    const button = form.querySelector('button:not([type=button])');
    button.disabled = true;
    const bar = Object.assign(document.createElement('progress'), { max: 1, value: 0 });
    bar.setAttribute('aria-label', 'How much of the file is sent');
    say.replaceChildren('Sending … ', bar);
    try {
      location.assign(await this.send(form, file, (share) => { bar.value = share; }));
    } catch (err) {
      say.textContent = err.message;
      button.disabled = false;
    }
  },
};

document.addEventListener('submit', (e) => {
  const form = e.target;
  const file = form.dataset.upload && form.querySelector('input[type=file]')?.files[0];
  if (!file || !Uploads.wanted(form, file)) return;
  e.preventDefault();
  Uploads.submit(form, file);
});
