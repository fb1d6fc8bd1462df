package test

import (
	_ "embed"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/internal/demo"
	"goldshelf/test/browser"
)

//go:embed languages.js
var lookAtLanguage string

// speaking is a window whose pages are in a language, and keep what the service answered them.
func speaking(t *testing.T, who, language string) *window {
	w := openWindow(t, who, 1280, 800)
	w.do(chromedp.Navigate(service.URL+"/robots.txt"), browser.Script(`localStorage.setItem("goldshelf.language", JSON.stringify("`+language+`"))`),
		browser.OnEveryPage(`
			const ask = window.fetch;
			window.answers = [];
			window.asked = 0;
			window.fetch = async (...args) => {
				window.asked++;
				try {
					const answer = await ask(...args);
					window.answers.push(await answer.clone().text());
					return answer;
				} finally {
					window.asked--;
				}
			};`))
	return w
}

// look opens a page, and gives what is wrong with how it says things, wide and narrow.
func (w *window) look(path string) (found []string) {
	w.t.Helper()
	w.do(browser.Size(1280, 800), chromedp.Navigate(w.url+path),
		browser.Until(`document.querySelector("h1") && window.asked === 0 && !document.querySelector("main [role=status][aria-label]")`),
		browser.Script(lookAtLanguage))
	for _, size := range []struct{ wide, high int64 }{{1280, 800}, {390, 844}} {
		w.do(browser.Size(size.wide, size.high))
		wrong, err := browser.Ask[[]string](w.ctx, "lookAtLanguage()")
		if err != nil {
			w.t.Fatal(err)
		}
		found = append(found, wrong...)
	}
	slices.Sort(found)
	return slices.Compact(found)
}

// In a language that is made up of the longest texts, from right to left, every page says
// nothing that is in no catalogue, and has room for all that it says.
func TestEveryPageIsInEveryLanguage(t *testing.T) {
	t.Parallel()
	pages := map[string][]string{}
	for _, p := range everyPage("") {
		if !slices.Contains(pages[p.who], p.path) {
			pages[p.who] = append(pages[p.who], p.path)
		}
	}
	c := &client.Client{Server: service.URL}
	if _, err := c.SignIn(t.Context(), "reader", demo.Password); err != nil {
		t.Fatal(err)
	}
	all, err := c.Trials(t.Context(), "burst-main-notice", "")
	if err != nil || len(all.Items) == 0 {
		t.Fatalf("no trial: %v", err)
	}
	pages["reader"] = append(pages["reader"], "/trials/"+all.Items[0].ID)
	for who, paths := range pages {
		for some := range slices.Chunk(paths, atOneWindow) {
			t.Run("as "+who+" from "+some[0], func(t *testing.T) {
				t.Parallel()
				w := speaking(t, who, "ar-XB")
				seen := map[string]bool{}
				for _, path := range some {
					for _, wrong := range w.look(path) {
						if !seen[wrong] {
							t.Errorf("%s: %s", path, wrong)
						}
						seen[wrong] = true
					}
				}
				if dir, err := browser.Ask[string](w.ctx, "document.documentElement.dir"); err != nil || dir != "rtl" {
					t.Errorf("it is written %s, %v", dir, err)
				}
			})
		}
	}
}

// Somebody's own language is kept with them: at the console wherever they sign in, in what
// goes wrong, and in their feed.
func TestEveryoneHasTheirLanguage(t *testing.T) {
	t.Parallel()
	curator := &client.Client{Server: service.URL}
	if _, err := curator.SignIn(t.Context(), "curator", demo.Password); err != nil {
		t.Fatal(err)
	}
	link, err := curator.AddPerson(t.Context(), api.Person{Name: "adele.quint", FullName: "Adele Quint", Role: entry.Contributor})
	if err != nil {
		t.Fatal(err)
	}
	c := &client.Client{Server: service.URL, Languages: "fr-CH, fr;q=0.9"}
	if err := c.SetPassword(t.Context(), api.NewPassword{Code: link.Code, Password: demo.Password}); err != nil {
		t.Fatal(err)
	}
	if _, err := c.SignIn(t.Context(), "adele.quint", demo.Password); err != nil {
		t.Fatal(err)
	}
	_, err = c.Entry(t.Context(), "nothing-there")
	if err == nil || !strings.Contains(err.Error(), "il n’y a pas d’entrée") {
		t.Errorf("in French it says %v", err)
	}
	german := message.German
	if _, err := c.ChangePerson(t.Context(), "adele.quint", api.PersonChange{Language: &german}); err != nil {
		t.Fatal(err)
	}
	w := openWindow(t, "adele.quint", 1280, 800)
	w.visit("/desk", "Aufgaben")
	w.visit("/entries/nothing-there", "Dieser Eintrag steht nicht im Regal")
	w.visit("/account", "Ihr Konto")
	w.do(browser.Choose("select[aria-label=Sprache]", "fr"), browser.See("Vos données"), browser.Choose("select[aria-label=Langue]", ""), browser.See("Your data"))
	unknown := message.Language("tlh")
	if _, err := c.ChangePerson(t.Context(), "adele.quint", api.PersonChange{Language: &unknown}); client.Status(err) != 422 || !strings.Contains(err.Error(), "tlh") {
		t.Errorf("a language that we have not: %v", err)
	}
	if _, err := c.ChangePerson(t.Context(), "reader", api.PersonChange{Language: &german}); client.Status(err) != 403 {
		t.Errorf("somebody else's language: %v", err)
	}
}

// A browser that prefers a language of ours is answered in it before anybody signs in.
func TestABrowserIsGreetedInItsLanguage(t *testing.T) {
	t.Parallel()
	w := openBrowser(t, service.URL, 390, 844)
	w.do(browser.Speaks("fr-BE,fr,en"))
	w.visit("/sign-in", "Se connecter")
	if lang, err := browser.Ask[string](w.ctx, "document.documentElement.lang"); err != nil || lang != "fr" {
		t.Errorf("the page is in %s, %v", lang, err)
	}
	w.do(browser.Type("#name", "curator"), browser.Type("#password", "no-such-password"), browser.Press("Se connecter"), browser.See("Le nom ou le mot de passe est faux"))
}
