// A slider over days: of the drawings that belong together, the one of the chosen day is shown.

function show(slider) {
  const some = [...document.querySelectorAll(`[data-day-of="${slider.id}"]`)];
  some.forEach((one, n) => {
    one.hidden = n !== Number(slider.value);
  });
  const said = some[Number(slider.value)]?.dataset.day || "";
  slider.setAttribute("aria-valuetext", said);
  const out = document.querySelector(`output[for="${slider.id}"]`);
  if (out) out.textContent = said;
}
document.addEventListener("input", (event) => {
  if (event.target.matches("[data-days]")) show(event.target);
});
document.querySelectorAll("[data-days]").forEach(show);
