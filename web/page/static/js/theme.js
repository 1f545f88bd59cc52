// Sets the theme before the page is painted, and answers the toggles.
(() => {
  const root = document.documentElement;
  root.dataset.theme = localStorage.getItem("theme") || "light";
  document.addEventListener("click", (e) => {
    if (!e.target.closest("[data-theme-toggle]")) return;
    root.dataset.theme = root.dataset.theme === "dim" ? "light" : "dim";
    localStorage.setItem("theme", root.dataset.theme);
  });
})();
