// The shelf: a chosen or dropped bundle is sent at once.
const form = document.getElementById("bundle-form");
if (form) {
  const input = form.querySelector("input[type=file]");
  input.addEventListener("change", () => input.files.length && form.submit());
  document.addEventListener("dragover", (e) => e.preventDefault());
  document.addEventListener("drop", (e) => {
    e.preventDefault();
    if (!e.dataTransfer.files.length) return;
    input.files = e.dataTransfer.files;
    form.submit();
  });
}
