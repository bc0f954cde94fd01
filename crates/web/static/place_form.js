// Fills latitude, longitude and elevation from the device, if the person allows it.
document.addEventListener('alpine:init', () => {
  Alpine.data('located', () => ({
    answer: '',
    locate() {
      if (!navigator.geolocation) { this.answer = 'This device does not tell its place.'; return; }
      const fill = (name, number, digits) => { this.$root.querySelector(`#${name}`).value = number.toFixed(digits); };
      this.answer = 'Asking\u2026';
      navigator.geolocation.getCurrentPosition(({ coords }) => {
        fill('lat_deg', coords.latitude, 4);
        fill('lon_deg', coords.longitude, 4);
        if (coords.altitude !== null) fill('elevation_m', coords.altitude, 0);
        this.answer = `Good to about ${Math.round(coords.accuracy)} m.`;
      }, () => { this.answer = 'The device did not tell its place. Type it instead.'; });
    },
  }));
});
