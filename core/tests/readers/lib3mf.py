"""Reads a 3MF file with Debian's lib3mf 1.8 through its C interface (ctypes) and prints what it understood as JSON."""
import ctypes, json, sys
lib = ctypes.CDLL('lib3MF.so.1')
H = ctypes.c_void_p
U = ctypes.c_uint32
ref = ctypes.byref
def call(name, *args):
    code = getattr(lib, 'lib3mf_' + name)(*args)
    if code != 0: raise SystemExit(f'{name} failed with {code}')
def text(name, handle):
    need = U(0)
    buffer = ctypes.create_string_buffer(1024)
    call(name, handle, buffer, U(1024), ref(need))
    return buffer.value.decode()
def each(iterator, kind):
    more = U(0)
    while True:
        call(kind + '_movenext', iterator, ref(more))
        if not more.value: return
        item = H()
        call(kind + '_getcurrent', iterator, ref(item))
        yield item
model, reader = H(), H()
call('createmodel', ref(model), U(1))
call('model_queryreader', model, b'3mf', ref(reader))
call('reader_readfromfileutf8', reader, sys.argv[1].encode())
warnings, unit = U(0), U(0)
call('reader_getwarningcount', reader, ref(warnings))
call('model_getunit', model, ref(unit))
objects = []
meshes, items = H(), H()
call('model_getmeshobjects', model, ref(meshes))
for mesh in each(meshes, 'resourceiterator'):
    v, t, closed = U(0), U(0), U(0)
    call('meshobject_getvertexcount', mesh, ref(v))
    call('meshobject_gettrianglecount', mesh, ref(t))
    call('meshobject_ismanifoldandoriented', mesh, ref(closed))
    objects.append({'name': text('object_getnameutf8', mesh), 'partNumber': text('object_getpartnumberutf8', mesh), 'vertices': v.value, 'triangles': t.value, 'closed': bool(closed.value)})
call('model_getbuilditems', model, ref(items))
print(json.dumps({'warnings': warnings.value, 'unit': unit.value, 'objects': objects, 'items': len(list(each(items, 'builditemiterator')))}))
