// Stations of a plot: what is chosen below is marked where a station is touched.

function touch(station) {
  const form = document.getElementById("mark");
  form.elements.station.value = station.dataset.station;
  form.requestSubmit();
}
document.addEventListener("click", (event) => {
  const station = event.target.closest(".stations [data-station][role=button]");
  if (station) touch(station);
});
document.addEventListener("keydown", (event) => {
  const station = event.target.closest?.(".stations [data-station][role=button]");
  if (station && (event.key === "Enter" || event.key === " ")) {
    touch(station);
    event.preventDefault();
  }
});
