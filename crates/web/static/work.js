// The line of a page at work: what is typed is kept here until the bench has acknowledged it, through reloads, lost connections and restarts.
// Each line carries an identity of its own, so that sending it again adds nothing. The core reads the line; this carries it.
document.addEventListener('alpine:init', () => {
  const RETRY_MS = 2000;

  const read = (key, otherwise) => { try { return JSON.parse(localStorage.getItem(key)) ?? otherwise; } catch { return otherwise; } };
  const keep = (key, value) => { try { localStorage.setItem(key, JSON.stringify(value)); } catch { /* kept on the page */ } };
  // randomUUID wants a secure context, which a bench reached over the local network is not.
  const newUid = () => [...crypto.getRandomValues(new Uint8Array(16))].map((byte) => byte.toString(16).padStart(2, '0')).join('');

  // Where the device's own keyboard is poor for figures.
  Alpine.store('keypad', {
    shown: read('flindo:keypad', false),
    turn() { this.shown = !this.shown; keep('flindo:keypad', this.shown); },
  });

  Alpine.data('work', (test) => ({
    waiting: [],
    // The choices of which chip are open.
    sheet: '',
    status: '',
    sending: false,
    asked: 0,
    askTimer: 0,
    retryTimer: 0,

    init() {
      this.waiting = read(`flindo:waiting:${test}`, []);
      const draft = read(`flindo:draft:${test}`, '');
      if (draft && !this.$refs.line.value) this.$refs.line.value = draft;
      if (this.$refs.line.value) this.ask();
      window.addEventListener('online', () => this.flush());
      if (this.waiting.length) this.flush();
    },

    typing() {
      keep(`flindo:draft:${test}`, this.$refs.line.value);
      clearTimeout(this.askTimer);
      this.askTimer = setTimeout(() => this.ask(), 90);
    },

    async ask() {
      const typed = this.$refs.line.value;
      const asked = ++this.asked;
      if (!typed.trim()) { this.$refs.understood.replaceChildren(); return; }
      try {
        const response = await fetch(`/tests/${test}/understood?${new URLSearchParams({ typed, ...this.takenAt() })}`);
        const html = response.ok ? await response.text() : '';
        if (asked === this.asked) this.$refs.understood.innerHTML = html;
      } catch {
        if (asked !== this.asked) return;
        this.$refs.understood.textContent = 'No connection to the bench: the line is kept here and will be read when it is back.';
      }
    },

    // A button that says a line: sent at once, or put where it can be changed.
    tapped(event) {
      const button = event.target.closest('[data-send], [data-put]');
      if (!button) return;
      this.$refs.line.value = button.dataset.send ?? button.dataset.put;
      if (button.dataset.send) { this.submit(); return; }
      this.typing();
      this.$refs.line.focus();
    },

    // A key of the page's own keypad: at the caret, as from any keyboard.
    pressed(event) {
      const key = event.target.closest('button');
      const line = this.$refs.line;
      if (!key) return;
      if ('again' in key.dataset) this.recall();
      if ('back' in key.dataset && line.selectionStart === line.selectionEnd && line.selectionStart > 0) line.selectionStart -= 1;
      if ('back' in key.dataset) line.setRangeText('');
      if (key.dataset.type) line.setRangeText(key.dataset.type, line.selectionStart, line.selectionEnd, 'end');
      line.focus();
      this.typing();
    },

    recall() {
      const last = read(`flindo:last:${test}`, '');
      if (!last || this.$refs.line.value) return;
      this.$refs.line.value = last;
      this.typing();
    },

    submit() {
      const typed = this.$refs.line.value.trim();
      if (!typed) { this.$refs.line.focus(); return; }
      const run = this.$root.querySelector('[data-run]')?.dataset.run;
      const taken_utc = new Date().toISOString();
      this.waiting.push({ uid: newUid(), typed, taken_utc, ...(run ? { run } : {}), ...this.takenAt(), error: '' });
      this.remember();
      this.$refs.line.value = '';
      this.asked += 1;
      this.$refs.understood.replaceChildren();
      keep(`flindo:draft:${test}`, '');
      keep(`flindo:last:${test}`, typed);
      this.$refs.line.focus();
      this.flush();
    },

    takenAt() {
      return this.$refs.setTime.checked ? { set_time: 'yes', taken: this.$refs.taken.value } : {};
    },

    remember() {
      keep(`flindo:waiting:${test}`, this.waiting);
    },

    async flush() {
      if (this.sending) return;
      clearTimeout(this.retryTimer);
      this.sending = true;
      let entry;
      while ((entry = this.waiting.find((waiting) => !waiting.error))) {
        const { error, ...fields } = entry;
        let response;
        try {
          response = await fetch(`/api/v1/tests/${test}/readings`, { method: 'POST', body: new URLSearchParams(fields) });
        } catch { /* no connection */ }
        if (!response || response.status >= 500) {
          this.status = await this.whyNot(response);
          this.retryTimer = setTimeout(() => this.flush(), RETRY_MS);
          break;
        }
        if (response.ok) {
          this.waiting = this.waiting.filter((waiting) => waiting.uid !== entry.uid);
          this.remember();
          document.dispatchEvent(new CustomEvent('flindo:logged'));
          await this.refresh();
        } else {
          await this.refused(entry, response);
        }
      }
      this.sending = false;
    },

    // A disk that is full, or a bench that does not answer: the line is kept, and sent again.
    async whyNot(response) {
      let sentence = 'No connection to the bench.';
      if (response) {
        try { sentence = (await response.json()).error.message; } catch { sentence = 'The bench did not save this.'; }
      }
      return `${sentence} Kept here, and sent again by itself:`;
    },

    // A line that was not understood goes back to where it was typed, unless the next one has begun there.
    async refused(entry, response) {
      let sentence = 'This line was not taken.';
      try { sentence = (await response.json()).error.message; } catch { /* keep the plain one */ }
      entry.error = sentence;
      document.dispatchEvent(new CustomEvent('flindo:not-logged'));
      this.status = 'Not logged:';
      this.remember();
      if (!this.$refs.line.value) {
        this.backToTheLine(entry.uid);
        const line = document.createElement('p');
        line.className = 'not-understood';
        line.setAttribute('role', 'alert');
        line.textContent = sentence;
        this.$refs.understood.replaceChildren(line);
      }
    },

    takeUp(uid) {
      this.backToTheLine(uid);
      this.ask();
    },

    backToTheLine(uid) {
      const entry = this.waiting.find((waiting) => waiting.uid === uid);
      if (!entry) return;
      this.waiting = this.waiting.filter((waiting) => waiting.uid !== uid);
      this.remember();
      this.$refs.line.value = entry.typed;
      keep(`flindo:draft:${test}`, entry.typed);
      this.$refs.line.focus();
    },

    refresh() {
      return this.$root.refreshParts?.();
    },
  }));
});
