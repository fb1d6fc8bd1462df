package main
import ("testing";"context";"fmt";"net/http";"os/exec";"strings"
"goldshelf/client";"goldshelf/internal/demo";"goldshelf/test/run")
func TestSaves(t *testing.T){
	ctx:=context.Background()
	dir, remove, err := run.Dir(); if err!=nil{t.Fatal(err)}
	defer remove()
	s, err := run.Serve(dir, "--demo"); if err!=nil{t.Fatal(err)}
	defer s.Stop()
	c := &client.Client{Server: s.URL, HTTP: &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: writers}}}
	if _, err := c.SignIn(ctx, "curator", demo.Password); err != nil {t.Fatal(err)}
	cpu:=func() string { o,_:=exec.Command("bash","-c",fmt.Sprintf("awk '{print $14+$15}' /proc/%d/stat; cat $(pgrep -f 'postgres: goldshelf_app' | sed 's|.*|/proc/&/stat|') | awk '{s+=$14+$15} END{print s}'; awk '{print $14+$15}' /proc/self/stat", s.PID())).Output(); return strings.TrimSpace(strings.ReplaceAll(string(o),"\n"," "))}
	a:=cpu()
	n,err:=savesPerSecond(ctx,c)
	b:=cpu()
	for _,l:=range strings.Split(s.Log(),"\n"){ if !strings.Contains(l,"level=INFO"){fmt.Println("saves",l)}}; fmt.Println("saves/s",n,err,"cpu before",a,"after",b, "(goldshelfd postgres, ticks of 10ms)")
	base,err:=pgbench(ctx,dir)
	fmt.Println("saves pgbench",base,err,"ratio",n/base)
}
