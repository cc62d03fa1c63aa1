import { workingKernel } from './dist/kernel/load.js';
import { SolidBuilder } from './dist/kernel/build.js';
import { faceted } from './dist/sheet/flatten.js';
import { topologyOfMesh } from './dist/sheet/from-mesh.js';
import { recognisePanel } from './dist/panels/recognise.js';
const k=await workingKernel(); const b=new SolidBuilder(k);
const z=[0,0,1];
let p=b.box([0,0,0],[600,300,18]);
p=b.cut(p,b.cylinder([50,50,-1],z,4,30),b.cylinder([100,50,-1],z,4,30),b.cylinder([200,100,6],z,2.5,30),b.cylinder([232,100,6],z,2.5,30));
p=b.cut(p,b.box([-5,250,12],[700,6.5,20]));            // groove end to end 6 deep
p=b.cut(p,b.box([300,-5,10],[100,25,20]));             // rebate notch
p=b.cut(p,b.box([400,100,8],[80,60,20]));              // pocket 10 deep
p=b.cut(p,b.box([420,120,-1],[20,20,30]));             // through opening in pocket
p=b.cut(p,b.cylinder([-1,150,9],[1,0,0],4,31));        // edge hole 30 deep
p=b.cut(p,b.cylinder([500,200,-1],z,17.5,13+1));       // back hinge cup 13 deep
const show=(name,x)=>{ if(x.why) return console.log(name,'NO',x.why); console.log(name,x.thickness,x.length,x.width,'area',x.area.toFixed(3),'V',x.volume.toFixed(4),'told',x.told.toFixed(4),JSON.stringify(x.holes),JSON.stringify(x.pockets),JSON.stringify(x.edgeHoles),JSON.stringify(x.mitres),x.outline.length,x.findings.map(f=>f.code)); };
const rec=(s)=>{const t=performance.now();const {top,volume}=faceted(k,b.brep(s)); const r=recognisePanel(top,null); return r};
show('panel',rec(p));
const a=0.7; const c=Math.cos(a),s=Math.sin(a);
const rows=[c,-s,0,100, s*Math.cos(1.1),c*Math.cos(1.1),-Math.sin(1.1),-50, s*Math.sin(1.1),c*Math.sin(1.1),Math.cos(1.1),33];
show('turned',rec(b.placed(p,rows)));
const {top}=faceted(k,b.brep(p)); 
const m=topologyOfMesh(top.mesh); show('mesh',recognisePanel(m,null));
show('cube',rec(b.box([0,0,0],[50,50,50]))); show('bar',rec(b.box([0,0,0],[20,20,500])));
show('round',rec(b.cylinder([0,0,0],z,100,12)));
show('ball',rec(b.sphere([0,0,0],30)));
show('filleted',rec(b.rounded(b.box([0,0,0],[300,200,18]),3)));
show('shell',rec(b.shelled(b.box([0,0,0],[300,200,60]),2,(q)=>q[2]>59)));
// mitre: prism
const mit=b.cut(b.box([0,0,0],[400,200,18]), b.placed(b.box([0,-50,0],[100,400,100]),[Math.SQRT1_2,0,-Math.SQRT1_2,0, 0,1,0,0, Math.SQRT1_2,0,Math.SQRT1_2,0].map((v,i)=>v+(i===3?0:0))));
show('mitre',rec(mit));
const drill=b.cut(b.box([0,0,0],[300,200,18]), b.joined(b.cylinder([50,50,8],z,4,20), b.revolved([0,8],[{to:[4,8]}]) ?? null).x ? null : b.cylinder([50,50,8],z,4,20));
show('drill',rec(drill));
