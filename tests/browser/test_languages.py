"""A page in another language: nothing is left in English, and the reader can switch."""

import re

import pytest

import nachsicht

pytestmark = pytest.mark.browser

#: Every text and label of the page, folded parts too.
TEXTS = """() => {
  document.querySelectorAll("details").forEach((part) => { part.open = true; });
  const found = new Set();
  const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  while (walker.nextNode()) {
    const { parentElement, textContent } = walker.currentNode;
    if (!parentElement.closest("script, style, code, pre")) found.add(textContent.trim());
  }
  for (const name of ["aria-label", "title", "placeholder"]) {
    document.querySelectorAll(`[${name}]`).forEach((e) => found.add(e.getAttribute(name)));
  }
  return [...found];
}"""
PLACES = ("relations", "missing", "duplicates", "rows", "time", "origin", "outcome")
#: Words that both languages have, names of formats, and product names.
ALIKE = {
    "svg",
    "png",
    "csv",
    "nachsicht",
    "python",
    "version",
    "linear",
    "apr",
    "aug",
    "feb",
    "jan",
    "jul",
    "jun",
    "nov",
    "sep",
}


def texts_in(page, address, places):
    found = set()
    for place in places:
        page.goto(f"{address}#{place}")
        page.reload()
        page.locator("nav").first.wait_for()
        page.wait_for_timeout(150)
        found |= set(page.evaluate(TEXTS))
    return found


def words_of(text):
    """Its words, but for fingerprints, patterns of letters, and words that are cut off."""
    text = re.sub(r"\b[0-9a-f]{16}\b|\w+…|\b[Aa]+\b", "", text)
    return set(re.findall(r"[^\W\d_]{3,}", text.lower()))


def test_no_english_is_left_on_a_german_page(demo_files, open_page, tmp_path):
    paths = [demo_files[f"hive_checks_{year}.csv"] for year in (2024, 2025)]
    columns = ("hive_weight", "temper", "note", "checked_at", "check_id", "overwintered")
    places = [*PLACES, *(f"column/{name}" for name in columns)]
    seen = {}
    for language in ("en", "de"):
        compared = nachsicht.compare(*paths, outcome="overwintered", language=language)
        page = open_page(compared.write(tmp_path / f"{language}.html"))
        seen[language] = texts_in(page, page.url.partition("#")[0], places)
    data = words_of("\n".join(path.read_text() for path in paths)) | words_of(compared.title)
    data |= words_of(" ".join(str(path.name) for path in paths)) | ALIKE
    assert len(seen["de"]) > 500
    left = {text for text in seen["de"] & seen["en"] if words_of(text) - data}
    assert not left


def test_a_page_in_two_languages_is_switched(demo_files, open_page, tmp_path):
    profile = nachsicht.profile(demo_files["hive_checks_2024.csv"], language=["de", "en"])
    page = open_page(profile.write(tmp_path / "both.html"), "#missing")
    assert page.locator("html").get_attribute("lang") == "de"
    assert page.locator("#missing h2").first.inner_text() == "Fehlende Werte"
    page.locator("header select").select_option("en")
    assert page.locator("#missing h2").first.inner_text() == "Missing values"
    assert page.locator("html").get_attribute("lang") == "en"
