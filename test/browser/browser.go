// Package browser drives Debian's headless Chromium for the tests and pictures
// of the console.
package browser

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/css"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/target"
	"github.com/chromedp/chromedp"
)

// Action is one thing to do on a page.
type Action = chromedp.Action[chromedp.Void]

// chromium is what Debian has of it: without windows, or whole.
func chromium() string {
	if path, err := exec.LookPath("chromium-headless-shell"); err == nil {
		return path
	}
	return "chromium"
}

// Hasty is a Chromium whose pages live for seconds: it begins to run their code sooner, and never
// makes it fast. Nothing is measured in it.
var Hasty = chromedp.Flag("js-flags", "--no-opt --no-maglev")

// Start runs a Chromium of its own. It ends, and its profile goes, with stop.
func Start(ctx context.Context, more ...chromedp.ExecAllocatorOption) (_ context.Context, stop func(), err error) {
	profile, err := os.MkdirTemp("", "goldshelf-chromium-")
	if err != nil {
		return nil, nil, err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath(chromium()),
		chromedp.UserDataDir(profile),
		chromedp.NoSandbox,
		chromedp.DisableGPU,
		chromedp.Flag("disable-quic", true),
		chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("disable-component-update", true),
		chromedp.Flag("disable-sync", true),
		chromedp.Flag("force-color-profile", "srgb"),
	)
	ctx, stopAllocator := chromedp.NewExecAllocator(ctx, append(options, more...)...)
	ctx, stopBrowser := chromedp.NewContext(context.WithValue(ctx, leftKey{}, &left{}))
	stop = func() {
		stopBrowser()
		stopAllocator()
		os.RemoveAll(profile)
	}
	// The first action starts the browser, which lives as long as its context.
	if err := chromedp.Do(ctx, chromedp.Navigate("about:blank")); err != nil {
		stop()
		return nil, nil, fmt.Errorf("start Chromium: %w", err)
	}
	return ctx, stop, nil
}

// Unwatched has a tab not tell of its style sheets and requests, to which nobody here listens:
// what tells of them costs a page a tenth of its time.
func Unwatched() Action {
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		if _, err := cdp.Call(ctx, t, css.Disable, cdp.Empty{}); err != nil {
			return err
		}
		_, err := cdp.Call(ctx, t, network.Disable, cdp.Empty{})
		return err
	})
}

// Do takes actions one after the other, and says which one failed.
func Do(ctx context.Context, actions ...Action) error {
	for i, a := range actions {
		if err := step(ctx, a); err != nil {
			return fmt.Errorf("step %d of %d: %w", i+1, len(actions), err)
		}
	}
	return nil
}

// step takes one action, and waits no longer than any page should take.
func step(ctx context.Context, a Action) error {
	ctx, cancel := context.WithTimeout(ctx, patience+20*time.Second)
	defer cancel()
	return chromedp.Do(ctx, a)
}

// Ask has the page work out an expression, awaited if it is a promise.
func Ask[T any](ctx context.Context, expression string) (T, error) {
	return chromedp.Run(ctx, chromedp.Evaluate[T](expression, chromedp.EvalAwaitPromise))
}

// Size sets what the window shows, in CSS pixels.
func Size(width, height int64) Action { return chromedp.EmulateViewport(width, height) }

// Script runs a statement on the page.
func Script(statement string) Action {
	return chromedp.Evaluate[chromedp.Void](statement, chromedp.EvalAwaitPromise)
}

// Offline cuts a page off from the network, or joins it again.
func Offline(off bool) Action {
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		leavesTraces(ctx)
		if _, err := cdp.Call(ctx, t, network.Enable, network.EnableParams{}); err != nil {
			return err
		}
		_, err := cdp.Call(ctx, t, emulateOffline, offlineParams{off, network.EmulateNetworkConditionsByRuleParams{
			MatchedNetworkConditions: []*network.Conditions{{Offline: off, DownloadThroughput: -1, UploadThroughput: -1}},
		}})
		return err
	})
}

var emulateOffline = cdp.Command[offlineParams, cdp.Empty]{Method: network.CommandEmulateNetworkConditionsByRule}

// offlineParams says it twice: older Chromium wants it for all rules, newer in each.
type offlineParams struct {
	Offline bool `json:"offline"`
	network.EmulateNetworkConditionsByRuleParams
}

// patience is how long a page may take for what it is asked: much longer than it should, for
// the machine may have other things to do.
const patience = 40 * time.Second

// Until waits for an expression to hold on the page.
func Until(expression string) Action {
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		var err error
		var holds bool
		for deadline := time.Now().Add(patience); time.Now().Before(deadline); {
			asked := time.Now()
			if holds, err = chromedp.Evaluate[bool]("Boolean("+expression+")")(ctx, t); holds {
				return nil
			}
			// A page that is slow to answer is not kept from its work by being asked; but a notice
			// that stands for four seconds is not missed.
			time.Sleep(min(max(30*time.Millisecond, 3*time.Since(asked)), time.Second))
		}
		text, _ := chromedp.Evaluate[string](words)(ctx, t)
		return errors.Join(fmt.Errorf("never held: %s; the page reads:\n%s", expression, text), err)
	})
}

// words are what a page says, and first what is said above it.
const words = `[...document.querySelectorAll("[data-sonner-toast], [role=dialog]"), document.body].map((e) => e.innerText).join("\n---\n").slice(0, 2500)`

// Says gives an expression that holds when the page shows a text.
func Says(text string) string {
	quoted, _ := json.Marshal(text) // a string always marshals
	return "document.body.innerText.includes(" + string(quoted) + ")"
}

// See waits for the page to show a text.
func See(text string) Action { return Until(Says(text)) }

// Press clicks the button or link with a name: in the dialog, where one is open, for what
// is behind it cannot be pressed.
func Press(name string) Action {
	quoted, _ := json.Marshal(name) // a string always marshals
	find := `[...(document.querySelector("[role=dialog]") ?? document).querySelectorAll("button, a, [role=tab], [role=radio]")].find((b) => b.offsetParent && (b.innerText.trim() === ` + string(quoted) + ` || b.getAttribute("aria-label") === ` + string(quoted) + `))`
	return chromedp.Steps(Until(find), Script(find+".focus()"), Script(find+".click()"))
}

// PressTab is Press for tabs, which listen to the mouse going down.
func PressTab(name string) Action {
	quoted, _ := json.Marshal(name) // a string always marshals
	find := `[...document.querySelectorAll("[role=tab]")].find((b) => b.innerText.trim().startsWith(` + string(quoted) + `))`
	return chromedp.Steps(Until(find), Script(find+`.dispatchEvent(new MouseEvent("mousedown", {bubbles: true, button: 0}))`))
}

// PressMenu opens the menu of a button with a name that begins so; menus listen to the
// pointer going down.
func PressMenu(name string) Action {
	quoted, _ := json.Marshal(name) // a string always marshals
	find := `[...document.querySelectorAll("button[aria-haspopup=menu]")].find((b) => b.innerText.trim().includes(` + string(quoted) + `))`
	return chromedp.Steps(Until(find), Script(find+`.dispatchEvent(new PointerEvent("pointerdown", {bubbles: true, button: 0, pointerType: "mouse"}))`))
}

// PressMenuItem chooses an item of the menu that is open.
func PressMenuItem(name string) Action {
	quoted, _ := json.Marshal(name) // a string always marshals
	find := `[...document.querySelectorAll("[role=menuitem]")].find((b) => b.innerText.trim() === ` + string(quoted) + `)`
	return chromedp.Steps(Until(find), Script(find+`.click()`))
}

// Upload gives a file to a file field.
func Upload(selector, path string) Action {
	return chromedp.SetUploadFiles(selector, []string{path})
}

// Choose picks an option of a select.
func Choose(selector, option string) Action {
	quoted, _ := json.Marshal(option) // a string always marshals
	set := fmt.Sprintf(`{const s = document.querySelector(%q); Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(s, %s); s.dispatchEvent(new Event("change", {bubbles: true}))}`, selector, quoted)
	return Script(set)
}

// Write puts text into an editor in the place of what is there. An editor that
// has only just appeared may still be made anew: it is tried until it holds.
func Write(selector, text string) Action {
	field, _ := json.Marshal(selector) // strings always marshal
	words, _ := json.Marshal(text)
	// It is waited for each try, so that none puts its text beside another's.
	try := fmt.Sprintf(`(async () => {
		const e = document.querySelector(%s);
		if (!e) return false;
		if (e.innerText.trim() === %s.trim()) return true;
		e.focus();
		document.getSelection().selectAllChildren(e);
		await new Promise((done) => setTimeout(done, 30));
		document.execCommand("insertText", false, %s);
		return false;
	})()`, field, words, words)
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		for deadline := time.Now().Add(patience); time.Now().Before(deadline); time.Sleep(150 * time.Millisecond) {
			if done, err := chromedp.Evaluate[bool](try, chromedp.EvalAwaitPromise)(ctx, t); err != nil || done {
				return err
			}
		}
		return fmt.Errorf("the editor %s never took the text", selector)
	})
}

// Paste puts text into a field at once, as from the clipboard.
func Paste(selector, text string) Action {
	words, _ := json.Marshal(text) // a string always marshals
	set := fmt.Sprintf(`{const f = document.querySelector(%q); f.focus(); Object.getOwnPropertyDescriptor(f.constructor.prototype, "value").set.call(f, %s); f.dispatchEvent(new Event("input", {bubbles: true}))}`, selector, words)
	return chromedp.Steps(chromedp.WaitVisible(selector), Script(set))
}

// Type puts text into a field in the place of what is there.
func Type(selector, text string) Action {
	return chromedp.Steps(
		chromedp.WaitVisible(selector),
		chromedp.Focus(selector),
		Script(fmt.Sprintf(`document.querySelector(%q).select()`, selector)),
		chromedp.SendKeys(selector, text),
	)
}

// PressMenuNamed is PressMenu for a button that has no words, only a name.
func PressMenuNamed(name string) Action {
	find := `document.querySelector("button[aria-haspopup=menu][aria-label='` + name + `']")`
	return chromedp.Steps(Until(find), Script(find+`.dispatchEvent(new PointerEvent("pointerdown", {bubbles: true, button: 0, pointerType: "mouse"}))`))
}

// Cookie gives a browser a cookie of a place, as that would set it.
func Cookie(url, name, value string) Action {
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		yes := true
		_, err := cdp.Call(ctx, t, network.SetCookie, network.SetCookieParams{Name: name, Value: value, URL: url, HTTPOnly: &yes, SameSite: network.CookieSameSiteStrict})
		return err
	})
}

// Clipboard lets the pages of an origin use the clipboard, as if a person sat before them.
func Clipboard(origin string) Action {
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		leavesTraces(ctx)
		own, err := cdp.Call(ctx, t, target.GetTargetInfo, target.GetTargetInfoParams{})
		if err != nil {
			return err
		}
		may := permissions{origin, string(own.TargetInfo.BrowserContextID), []string{"clipboardReadWrite", "clipboardSanitizedWrite"}}
		if _, err := cdp.Call(ctx, t, grantPermissions, may); err != nil {
			return err
		}
		_, err = cdp.Call(ctx, t, emulation.SetFocusEmulationEnabled, emulation.SetFocusEmulationEnabledParams{Enabled: true})
		return err
	})
}

type permissions struct {
	Origin      string   `json:"origin"`
	Context     string   `json:"browserContextId,omitempty"`
	Permissions []string `json:"permissions"`
}

var grantPermissions = cdp.Command[permissions, cdp.Empty]{Method: "Browser.grantPermissions"}

// Speaks has a page's browser prefer languages, as Accept-Language has them.
func Speaks(languages string) Action {
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		leavesTraces(ctx)
		agent, err := chromedp.Evaluate[string]("navigator.userAgent")(ctx, t)
		if err != nil {
			return err
		}
		_, err = cdp.Call(ctx, t, emulation.SetUserAgentOverride, emulation.SetUserAgentOverrideParams{UserAgent: agent, AcceptLanguage: languages})
		return err
	})
}

// Pick types words into a field in which one chooses among many, and takes what fits first.
// Until it knows that they are many, it is another field.
func Pick(selector, words string) Action {
	fits := fmt.Sprintf(`[...document.querySelectorAll("[role=option]")].find((o) => o.offsetParent && o.innerText.startsWith(%q))`, words)
	return chromedp.Steps(Until(fmt.Sprintf(`document.querySelector(%q) instanceof HTMLInputElement`, selector)), chromedp.Focus(selector),
		Script(fmt.Sprintf(`document.querySelector(%q).select()`, selector)), chromedp.SendKeys(selector, words), Until(fits), Script(fits+`.dispatchEvent(new MouseEvent("mousedown", {bubbles: true, cancelable: true}))`))
}

// OnEveryPage runs a script on every page that is opened from then on, before any of its own.
func OnEveryPage(script string) Action {
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		leavesTraces(ctx)
		_, err := cdp.Call(ctx, t, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: script})
		return err
	})
}
