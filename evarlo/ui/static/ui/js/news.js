// Once a minute, while the page is looked at, it asks whether others have recorded something; a quiet line says so, nothing jumps.

const EVERY = 60_000;
const season = document.querySelector("[data-news]");

async function ask() {
  if (!navigator.onLine || document.hidden || document.querySelector("[data-walk]")) return;
  const answer = await fetch(season.dataset.news).catch(() => null);
  if (!answer || answer.redirected || answer.status !== 200) return; // nothing new, or nobody is logged in any more
  const { said } = await answer.json();
  let line = document.getElementById("news");
  if (!line) {
    line = document.createElement("p");
    line.id = "news";
    line.className = "news";
    line.setAttribute("role", "status");
    season.after(line);
  }
  const link = document.createElement("a");
  link.href = location.href;
  link.textContent = "Show";
  line.replaceChildren(`${said} `, link);
}

if (season) {
  setInterval(ask, EVERY);
  document.addEventListener("visibilitychange", ask);
}
