;; The inner loop of a bit over heights, two numbers at a time. W3C WebAssembly with its vectors of 128 bits.
;; "npm run wasm" writes lift.wasm.ts from this file; a test holds them equal.
(module
  (memory (export "memory") 1)

  ;; The higher of two rows of numbers; bytes is a multiple of 16.
  (func (export "higher") (param $a i32) (param $b i32) (param $into i32) (param $bytes i32)
    (local $end i32)
    (local.set $end (i32.add (local.get $a) (local.get $bytes)))
    (loop $next
      (v128.store (local.get $into)
        (f64x2.pmax (v128.load (local.get $a)) (v128.load (local.get $b))))
      (local.set $a (i32.add (local.get $a) (i32.const 16)))
      (local.set $b (i32.add (local.get $b) (i32.const 16)))
      (local.set $into (i32.add (local.get $into) (i32.const 16)))
      (br_if $next (i32.lt_u (local.get $a) (local.get $end)))))

  ;; Writes a row: at each number the greatest, over all places, of the higher of two numbers less the place's rise. A place is 16 bytes: where its two
  ;; rows of numbers begin (i32 each) and its rise (f64). Twelve numbers are held at a time; bytes is a multiple of 96.
  (func (export "lift") (param $places i32) (param $last i32) (param $into i32) (param $bytes i32)
    (local $p i32) (local $a i32) (local $b i32) (local $from i32) (local $rise v128)
    (local $v0 v128) (local $v1 v128) (local $v2 v128) (local $v3 v128) (local $v4 v128) (local $v5 v128)
    (loop $tile
      (local.set $v0 (f64x2.splat (f64.const -inf)))
      (local.set $v1 (local.get $v0)) (local.set $v2 (local.get $v0)) (local.set $v3 (local.get $v0))
      (local.set $v4 (local.get $v0)) (local.set $v5 (local.get $v0))
      (local.set $p (local.get $places))
      (loop $place
        (local.set $a (i32.add (i32.load (local.get $p)) (local.get $from)))
        (local.set $b (i32.add (i32.load offset=4 (local.get $p)) (local.get $from)))
        (local.set $rise (v128.load64_splat offset=8 (local.get $p)))
        (local.set $v0 (f64x2.pmax (local.get $v0) (f64x2.sub (f64x2.pmax (v128.load (local.get $a)) (v128.load (local.get $b))) (local.get $rise))))
        (local.set $v1 (f64x2.pmax (local.get $v1) (f64x2.sub (f64x2.pmax (v128.load offset=16 (local.get $a)) (v128.load offset=16 (local.get $b))) (local.get $rise))))
        (local.set $v2 (f64x2.pmax (local.get $v2) (f64x2.sub (f64x2.pmax (v128.load offset=32 (local.get $a)) (v128.load offset=32 (local.get $b))) (local.get $rise))))
        (local.set $v3 (f64x2.pmax (local.get $v3) (f64x2.sub (f64x2.pmax (v128.load offset=48 (local.get $a)) (v128.load offset=48 (local.get $b))) (local.get $rise))))
        (local.set $v4 (f64x2.pmax (local.get $v4) (f64x2.sub (f64x2.pmax (v128.load offset=64 (local.get $a)) (v128.load offset=64 (local.get $b))) (local.get $rise))))
        (local.set $v5 (f64x2.pmax (local.get $v5) (f64x2.sub (f64x2.pmax (v128.load offset=80 (local.get $a)) (v128.load offset=80 (local.get $b))) (local.get $rise))))
        (local.set $p (i32.add (local.get $p) (i32.const 16)))
        (br_if $place (i32.lt_u (local.get $p) (local.get $last))))
      (v128.store (i32.add (local.get $into) (local.get $from)) (local.get $v0))
      (v128.store offset=16 (i32.add (local.get $into) (local.get $from)) (local.get $v1))
      (v128.store offset=32 (i32.add (local.get $into) (local.get $from)) (local.get $v2))
      (v128.store offset=48 (i32.add (local.get $into) (local.get $from)) (local.get $v3))
      (v128.store offset=64 (i32.add (local.get $into) (local.get $from)) (local.get $v4))
      (v128.store offset=80 (i32.add (local.get $into) (local.get $from)) (local.get $v5))
      (local.set $from (i32.add (local.get $from) (i32.const 96)))
      (br_if $tile (i32.lt_u (local.get $from) (local.get $bytes))))))
