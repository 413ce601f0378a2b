// finish-presets.js: finish presets: apply, save, delete, import from files.
import { send } from "../../web/js/shared/send.js";

export function finishPresets(root, form, recipe, use) {
  const list = root.querySelector("[data-presets]");
  const says = root.querySelector("[data-presets-says]");
  const say = (words) => {
    says.hidden = false;
    says.textContent = words;
  };
  const taken = (given, words) => {
    use(given);
    say(words);
  };
  list.addEventListener("click", async ({ target }) => {
    const kept = target.closest("[data-kept]");
    if (target.matches("[data-use]")) taken(JSON.parse(kept.dataset.recipe), "It is loaded; each step can be undone.");
    if (target.matches("[data-delete]")) {
      const { answer, refused } = await send(kept.dataset.kept, {});
      if (answer) kept.remove();
      say(refused ?? (await answer.json()).words);
    }
  });
  root.querySelector("[data-keep-it]").addEventListener("click", async () => {
    const name = root.querySelector("#finish-name").value;
    const { answer, refused } = await send(form.dataset.keep, { name, recipe: recipe() });
    if (!answer) {
      say(refused);
      return;
    }
    const kept = await answer.json();
    list.querySelector(`[data-kept="${kept.delete}"]`)?.remove();
    list.append(entry(kept));
    say(`“${kept.name}” is saved.`);
  });
  const file = root.querySelector("#finish-file");
  file.addEventListener("change", async () => {
    try {
      taken(JSON.parse(await file.files[0].text()), `${file.files[0].name} is loaded.`);
    } catch {
      say(`${file.files[0].name} is not JSON. Nothing was changed.`);
    }
    file.value = "";
  });
}

function entry({ name, recipe, file, delete: address }) {
  const item = document.createElement("li");
  item.className = "flex items-center gap-2 border-b border-rule py-1";
  item.dataset.kept = address;
  item.dataset.recipe = JSON.stringify(recipe);
  const words = document.createElement("span");
  words.className = "min-w-0 flex-1 truncate";
  words.textContent = name;
  const link = document.createElement("a");
  link.className = "text-[13px]";
  link.href = file;
  link.textContent = "JSON";
  item.append(words, link, button("Use", "use"), button("Delete", "delete", "button-stop"));
  return item;
}

function button(words, does, more = "") {
  const made = document.createElement("button");
  made.type = "button";
  made.className = `button button-small ${more}`.trim();
  made.textContent = words;
  made.dataset[does] = "";
  return made;
}
