import { fillExactly } from './dist/nesting/saw-exact.js';
import { sawn, leavesOf } from './dist/nesting/saw.js';
import { budgetOf } from './dist/nesting/budget.js';
import { randomFrom } from './dist/nesting/random.js';
const cw1=[[8,4,66,2],[3,7,35,1],[8,2,24,3],[3,4,17,5],[3,3,11,2],[3,2,8,2],[2,1,2,1]].map(([w,h,v,m])=>({width:w,height:h,value:v,most:m,turns:false}));
let t=performance.now(); let r=fillExactly(cw1,15,10,0); console.log('cw1',r.value,r.proved,(performance.now()-t).toFixed(0));
r=fillExactly(cw1,10,15,0); console.log('cw1 other way',r.value);
for(const seed of [1,2,3]){const rnd=randomFrom(seed);
const items=Array.from({length:25},()=>({width:Math.round(150+rnd()*900),height:Math.round(100+rnd()*600),copies:4,turns:rnd()<0.5}));
const area=items.reduce((s,i)=>s+i.width*i.height*i.copies,0);
t=performance.now(); for(const stages of [2,3,null]){ t=performance.now(); const p=sawn(items,[{width:2800,height:2070,copies:null,price:1,remnant:false}],{trim:10,kerf:4.4,stages},1,budgetOf({rounds:Number(process.argv[2])}));
const last=Math.max(...p.sheets.flatMap(s=>leavesOf(s.root).filter(l=>!l.part).map(l=>l.width*l.height)));
console.log(seed,stages,p.sheets.length,'area bound',(area/(2800*2070)).toFixed(3),'used less largest rest',(p.sheets.length-last/(2800*2070)).toFixed(3), ((p.sheets.length-last/(2800*2070))/(area/(2800*2070))).toFixed(3),p.notPlaced.length,(performance.now()-t).toFixed(0)+'ms');}}
