"""One table of samples for every format: a ledger that names files below /keel/S in all its manners."""

import os
import sqlite3
import zipfile
from contextlib import closing

from saltcart.ledgers.kinds import OUR_FORMATS, open_ledger
from saltcart.ledgers.maps import load_map
from saltcart.standins import player
from tests.world import PLAYER_MAP

M3U = {
    "plain.m3u": b"/keel/S/a.wav\n/keel/S/b c.wav\n\n# /keel/S/a.wav\n",
    "bom.m3u8": "\ufeff#EXTM3U\r\n#EXTINF:3,x\r\n/keel/S/Été.wav\r\n  \r\n/keel/S".encode(),
    "legacy.m3u": "/keel/S/Été.wav\r\n/keel/Gäste/x.wav".encode("cp1252"),
    "odd bytes.m3u": b"/keel/S/\x81\xff.wav\n/keel/S/\x00".replace(b"\x00", b"end"),
    "uris.m3u8": b"file:///keel/S/%C3%A9.wav\nhttp://radio.example/a\nfile:///keel/S/a%20b.wav\n",
    "cr.m3u": b"#EXTM3U\r/keel/S/a.wav\r#x\r\r/keel/S/b.wav",
    "mixed.m3u8": "\ufeff/keel/S/é.wav\r/keel/S/b.wav\n\r\n/keel/S/c.wav\r\n \r".encode(),
    "one bad line.m3u8": "/keel/S/é.wav\n/keel/S/ö.wav\n".encode() + b"/keel/S/\xe9.wav\n/keel/S/a.wav\n",
    "relative.m3u": b"../keel/S/x.wav\n./../keel/S/y.wav\nsub/z.wav\n",
}


PLS = {
    "crlf.pls": (
        "[playlist]\r\nFile1=/keel/S/Été.wav\r\nTitle1=/keel/S/x\r\nLength1=-1\r\nfile2 ="
        " http://radio.example/x\r\nFile3=/keel/S/a b.wav\r\nNumberOfEntries=3\r\n".encode("cp1252")
    ),
    "cr.pls": b"[playlist]\rFile1=/keel/S/a.wav\rTitle1=x\rFILE2 = /keel/S/b.wav \r",
    "uri.pls": b"[Playlist]\nFile1=file:///keel/S/%C3%A9.wav\nVersion=2",
}
XSPF = {
    "plain.xspf": (
        b"""<?xml version="1.0" encoding="UTF-8"?>
<!-- <location>file:///keel/S/comment.wav</location> -->
<playlist version="1" xmlns="http://xspf.org/ns/0/">
 <image>file:///keel/S/cover.png</image><info>file:///keel/S/info</info><link rel="x">file:///keel/S/l</link>
 <trackList><track><location>file:///keel/S/a%20b.wav</location><location> file:///keel/S/%c3%a9 &amp; c.wav </location>
 <location>http://radio.example/x?y=1&amp;z</location><identifier>file:///keel/S/id</identifier></track>
 <track><location><![CDATA[file:///keel/S/c&d.wav]]></location><location/></track></trackList></playlist>"""
    ),
    "based.xspf": (
        b"""<playlist xmlns='http://xspf.org/ns/0/' xml:base='file:///keel/S/'><trackList>
<track><location>sub/x%20y.wav</location></track><track><location>./z.wav</location></track></trackList></playlist>"""
    ),
    "bases.xspf": (
        b"""<playlist xmlns='http://xspf.org/ns/0/' xml:base='file:///keel/S/'><trackList xml:base='sub/'>
<track xml:base='deep/'><location>a.wav</location></track><track><location>b.wav</location></track>
<track xml:base='file:///else/'><location>c.wav</location></track></trackList></playlist>"""
    ),
    "mixed.xspf": (
        b"""<playlist xmlns='http://xspf.org/ns/0/' xmlns:o='urn:other'><trackList><track>
<location>file:///keel/S/a<!-- /keel/S -->b.wav</location><o:location>file:///keel/S/o.wav</o:location>
<extension><location xmlns='urn:other'>file:///keel/S/p.wav</location></extension></track>
<track><location><?x y?>file:///keel/S/<![CDATA[c&d]]>&amp;.wav</location></track></trackList></playlist>"""
    ),
    "utf16.xspf": (
        '<?xml version="1.0" encoding="UTF-16"?><playlist'
        ' xmlns="http://xspf.org/ns/0/"><trackList><track><location>file:///keel/S/é\U0001f514&#x41;.wav</location></track></trackList></playlist>'.encode(
            "utf-16"
        )
    ),
    "latin.xspf": (
        '<?xml version="1.0" encoding="ISO-8859-1"?><p:playlist'
        ' xmlns:p="http://xspf.org/ns/0/"><p:trackList><p:track><p:location>/keel/S/Été.wav</p:location></p:track></p:trackList></p:playlist>'.encode(
            "latin-1"
        )
    ),
}
JSPF = {
    "list.jspf": (
        rb"""{"playlist": {"title": "/keel/S/t", "track": [
  {"location": ["file:///keel/S/a%20b.wav", "http://radio.example/x"], "title": "x"},
  {"location": ["\/keel\/S\/\u00e9\ud83d\udd14.wav"], "image": "/keel/S/i"}]}}"""
    )
}
CUE = {
    "quoted.cue": (
        'REM FILE "/keel/S/no.wav" WAVE\r\nPERFORMER "x"\r\nFILE "/keel/S/a b.wav" WAVE\r\n  TRACK 01 AUDIO\r\nFILE'
        ' "/keel/S/Été.wav" WAVE\r\n'.encode("cp1252")
    ),
    "cr.cue": b'CDTEXTFILE "/keel/S/titles.cdt"\rfile "/keel/S/x y.wav" wave\rTRACK 01 AUDIO\r',
    "bare.cue": b"FILE /keel/S/plain.bin BINARY\n  TRACK 01 AUDIO\n    INDEX 01 00:00:00\n",
}
SFZ = {
    "kit.sfz": (
        rb"""// sample=/keel/S/comment.wav
/* sample=/keel/S/no.wav */
#define $KIT BigKit
#define $HIT hit
#include "../keel/S/more.sfz"
<control> default_path=../keel/S/$KIT/
<group> lovel=1 <region> sample=a b.wav key=60 hivel=3
<region>sample=sub\$HIT 1.wav lokey=1 // sample=x
<region> sample=*sine
<region>
sample=*noise key=1
<control>default_path=
<region> sample=/keel/S/full name with spaces.wav
"""
    ),
    "plain.sfz": b"<region> sample=..\\keel\\S\\x.wav\r\n<region> key=3 sample=../keel/S/y.wav\r\n",
}
TURTLE = {
    "state.ttl": (
        rb'''@prefix atom: <http://lv2plug.in/ns/ext/atom#> .
@prefix state: <http://lv2plug.in/ns/ext/state#> . # <file:///keel/S/no.wav>
<> a <http://x.example/Preset> ; <http://www.w3.org/2000/01/rdf-schema#seeAlso> <../keel/S/other.ttl> ,
  <file:///keel/S/a%20b.wav> ;
  state:state [ <http://x.example/sample> "/keel/S/a \"q\".wav"^^atom:Path ; <urn:p> """long "/keel/S/l.wav" text""" ;
  <urn:r> """/keel/S/long.wav"""^^atom:Path ; <urn:s> <../keel/S/x.ttl#part> ;
  <urn:q> "/keel/S/plain literal" , '/keel/S/s.wav'^^<http://lv2plug.in/ns/ext/atom#Path> , "\u00e9"@en ] .
'''
    ),
    "prefix.ttl": rb"""@prefix s: <file:///keel/S/> . @prefix : <../keel/S/sub/> . @prefix x: <urn:x#> .
s:a.wav x:is s:b\,c.wav , :d%20e.wav ; x:label "s:no.wav" . # s:comment.wav
s: a x:Folder .
""",
    "base.ttl": b"@base <file:///keel/S/> .\n<x.wav> <urn:a> <sub/y.wav> .\n",
}
PROJECT = """<?xml version="1.0"?><Project version="1.0"><Audio><File path="audio/in.wav"/>
<File external="true" path="/keel/S/a &amp; b.wav"/></Audio>
<BuiltinDevice><State path="plugins/in.bin"/></BuiltinDevice>
<File path='/keel/S/no.wav' external='false'/>
<Plugin><State path="/keel/S/state" external="true"/></Plugin></Project>"""
SAMPLES = {
    "m3u": M3U,
    "pls": PLS,
    "xspf": XSPF,
    "jspf": JSPF,
    "cue": CUE,
    "sfz": SFZ,
    "turtle": TURTLE,
    "dawproject": {"s.dawproject": None},
}
# What each sample names, in order, as paths, when it lies in /lists.
NAMED = {
    "cr.m3u": ["/keel/S/a.wav", "/keel/S/b.wav"],
    "mixed.m3u8": ["/keel/S/é.wav", "/keel/S/b.wav", "/keel/S/c.wav"],
    "one bad line.m3u8": ["/keel/S/é.wav", "/keel/S/ö.wav", "/keel/S/é.wav", "/keel/S/a.wav"],
    "crlf.pls": ["/keel/S/Été.wav", "/keel/S/a b.wav"],
    "uri.pls": ["/keel/S/é.wav"],
    "plain.xspf": ["/keel/S/a b.wav", "/keel/S/é & c.wav", "/keel/S/c&d.wav"],
    "based.xspf": ["/keel/S", "/keel/S/sub/x y.wav", "/keel/S/z.wav"],
    "bases.xspf": [
        "/keel/S",
        "/keel/S/sub",
        "/keel/S/sub/deep",
        "/keel/S/sub/deep/a.wav",
        "/keel/S/sub/b.wav",
        "/else",
        "/else/c.wav",
    ],
    "utf16.xspf": ["/keel/S/é🔔A.wav"],
    "latin.xspf": ["/keel/S/Été.wav"],
    "list.jspf": ["/keel/S/a b.wav", "/keel/S/é🔔.wav"],
    "quoted.cue": ["/keel/S/a b.wav", "/keel/S/Été.wav"],
    "bare.cue": ["/keel/S/plain.bin"],
    "kit.sfz": [
        "/keel/S/more.sfz",
        "/keel/S/BigKit",
        "/keel/S/BigKit/a b.wav",
        "/keel/S/BigKit/sub/hit 1.wav",
        "/keel/S/full name with spaces.wav",
    ],
    "plain.sfz": ["/keel/S/x.wav", "/keel/S/y.wav"],
    "state.ttl": [*("/keel/S/other.ttl", "/keel/S/a b.wav", '/keel/S/a "q".wav', "/keel/S/long.wav"), "/keel/S/s.wav"],
    "base.ttl": ["/keel/S", "/keel/S/x.wav", "/keel/S/sub/y.wav"],
    "s.dawproject": ["/keel/S/a & b.wav", "/keel/S/state"],
}


def write_sample(path, data):
    """Write one sample; the session is a zip made here."""
    if data is not None:
        with open(path, "wb") as stream:
            stream.write(data)
        return
    with zipfile.ZipFile(path, "w") as archive:
        archive.comment = b"kept"
        archive.writestr("metadata.xml", "<MetaData/>", zipfile.ZIP_STORED)
        archive.writestr("project.xml", PROJECT, zipfile.ZIP_DEFLATED)
        archive.writestr(zipfile.ZipInfo("audio/in.wav", (2020, 1, 2, 3, 4, 6)), b"RIFF" * 50, zipfile.ZIP_DEFLATED)


def text_samples(folder):
    """Every text sample, written below `folder`: (format name, path)."""
    for form, files in SAMPLES.items():
        for name, data in files.items():
            path = os.path.join(folder, name)
            write_sample(path, data)
            yield form, path


def samples(folder):
    """An open ledger for every sample of every format and container."""
    for _form, path in text_samples(folder):
        yield open_ledger(path, [])
    library = os.path.join(folder, "library.db")
    player.create(library)
    player.add_folder(library, "/keel/S")
    player.add_tracks(library, [(f"/keel/S/Été {number} #%.wav", "t", "a", 1.0, 3, 4, None) for number in range(5)])
    with closing(sqlite3.connect(library)) as database, database:
        database.execute(
            "INSERT INTO tracks (place, title, rating) VALUES (CAST(? AS TEXT), 'raw', 1.0)",
            (b"file:///keel/S/\xff.wav",),
        )
        database.execute("INSERT INTO tracks (place, title) VALUES ('http://radio.example/x', 'remote')")
    yield open_ledger(library, [load_map(str(PLAYER_MAP))])


def formats_without_sample(folder):
    """Names of text formats that no sample covers."""
    return {form.NAME for form in OUR_FORMATS} - {form for form, _path in text_samples(folder)}
