// Fills latitude, longitude and elevation from the device, if the person allows it.
document.addEventListener('DOMContentLoaded', () => {
  const button = document.querySelector('[data-locate]');
  const answer = document.querySelector('[data-locate-answer]');
  const fill = (name, number, digits) => { document.getElementById(name).value = number.toFixed(digits); };
  button.addEventListener('click', () => {
    if (!navigator.geolocation) { answer.textContent = 'This device does not tell its place.'; return; }
    answer.textContent = 'Asking…';
    navigator.geolocation.getCurrentPosition(({ coords }) => {
      fill('lat_deg', coords.latitude, 4);
      fill('lon_deg', coords.longitude, 4);
      if (coords.altitude !== null) fill('elevation_m', coords.altitude, 0);
      answer.textContent = `Good to about ${Math.round(coords.accuracy)} m.`;
    }, () => { answer.textContent = 'The device did not tell its place. Type it instead.'; });
  });
});
