// A drawing as PNG, made by the browser from the SVG that is there already, at twice its size.

const TWICE = 2;

async function saved(link) {
  const image = new Image();
  image.src = link.href;
  await image.decode();
  const canvas = document.createElement("canvas");
  canvas.width = TWICE * image.naturalWidth;
  canvas.height = TWICE * image.naturalHeight;
  canvas.getContext("2d").drawImage(image, 0, 0, canvas.width, canvas.height);
  const blob = await new Promise((done) => canvas.toBlob(done, "image/png"));
  const away = document.createElement("a");
  away.href = URL.createObjectURL(blob);
  away.download = link.dataset.png;
  away.click();
  setTimeout(() => URL.revokeObjectURL(away.href), 10_000);
}

document.addEventListener("click", (event) => {
  const link = event.target.closest("a[data-png]");
  if (!link) return;
  event.preventDefault();
  saved(link);
});
for (const link of document.querySelectorAll("[data-png]")) link.parentElement.hidden = false;
