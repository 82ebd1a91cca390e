// What is said on top of the page; a way to log in where that is what is missing.

export function notice(text, how = "error") {
  const box = document.createElement("div");
  box.className = `notice ${how}`;
  const said = document.createElement("p");
  said.textContent = text;
  box.append(said);
  if (text.startsWith("You are")) {
    const way = document.createElement("a");
    Object.assign(way, { href: "/people/log-in/", target: "_blank", textContent: "Log in" });
    box.append(way);
  }
  document.getElementById("notices").replaceChildren(box);
  box.scrollIntoView({ block: "nearest" });
}
