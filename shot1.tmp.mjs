import { browser, shot, sleep, By } from './shot-helper.tmp.mjs';
const base='http://127.0.0.1:4199'; const d=await browser();
try { const jobs=await (await fetch(base+'/api/jobs')).json(); const list=jobs.jobs??jobs; const j=list.find(x=>x.name==='Crate and tool chest'); console.log(j?.id);
await d.get(`${base}/jobs/${j.id}/cutlist`); await sleep(4000); await shot(d,'/tmp/s1.png');
await d.findElement(By.xpath("//*[text()='Sheets']")).click(); await sleep(1500); await shot(d,'/tmp/s2.png');
await d.findElement(By.css('[data-test=lay-out]')).click(); await sleep(2500); await shot(d,'/tmp/s3.png'); await sleep(25000); await shot(d,'/tmp/s4.png');
} finally { await d.quit(); }
