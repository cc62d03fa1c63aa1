import { workingKernel } from './dist/kernel/load.js';
import { SolidBuilder } from './dist/kernel/build.js';
import { faceted } from './dist/sheet/flatten.js';
import { recognisePanel } from './dist/panels/recognise.js';
import { marksOf, likeness, roughly } from './dist/panels/equal.js';
import { randomFrom } from './dist/nesting/random.js';
const k=await workingKernel(); const b=new SolidBuilder(k); const rnd=randomFrom(5);
const rot=()=>{ const q=[rnd()-.5,rnd()-.5,rnd()-.5,rnd()-.5]; const n=Math.hypot(...q); const [x,y,z,w]=q.map(v=>v/n); return [1-2*(y*y+z*z),2*(x*y-z*w),2*(x*z+y*w),rnd()*900, 2*(x*y+z*w),1-2*(x*x+z*z),2*(y*z-x*w),rnd()*900, 2*(x*z-y*w),2*(y*z+x*w),1-2*(x*x+y*y),rnd()*900]};
const mirror=(r)=>r.map((v,i)=>i%4===0?-v:v);
let ok=0,bad=0; const t0=performance.now();let n=0;
for(let c=0;c<30;c++){ const w=100+Math.round(rnd()*400),h=80+Math.round(rnd()*200);
 let p=b.box([0,0,0],[w,h,12]); const holes=Math.floor(rnd()*4);
 for(let i=0;i<holes;i++) p=b.cut(p,b.cylinder([10+rnd()*(w-20),10+rnd()*(h-20),rnd()<0.5?-1:6],[0,0,1],3,30));
 if(rnd()<0.5) p=b.cut(p,b.box([-1,h/2,8],[w*0.3,6,10]));
 const sym=holes===0; // only box or groove
 const base=b.brep(p); const get=(s)=>{n++;const f=faceted(k,s); return marksOf(f.top,f.volume,1)};
 const A=get(base), B=get(b.brep(b.placed(b.fromBrep(base),rot())));
 let M; try { M=get(b.brep(b.placed(b.fromBrep(base),mirror(rot())))); } catch(e){ console.log(e.message) }
 const l1=likeness(A,B), l2=M?likeness(A,M):'?';
 console.log(c,holes,l1,l2); }
console.log((performance.now()-t0)/n,'ms each');
