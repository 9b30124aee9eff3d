"""XML files. Elements are told apart by the attribute that names them; equal ones without such are one list.

A key is the way of elements from the outermost one: `settings.pad[name=left].@speed` is an attribute, `text`
what an element says beside its attributes. What declares entities of its own is kept whole: none is ever
expanded. Read back by lxml.
"""

from __future__ import annotations

import re
from collections import Counter, deque
from collections.abc import Collection
from typing import TYPE_CHECKING, Any

from left_intact.core.settings.document import Document, Key, NotReadable
from left_intact.core.settings.formats.tree import Pair, TreeDocument, must_stand_once

if TYPE_CHECKING:
    from lxml import etree
    from tree_sitter import Node

NAMING = ("name", "id", "key")
"""Attributes that say which of several elements one is, the first that there is."""
_TEXT = "text"
_KNOWN = frozenset({"lt", "gt", "amp", "quot", "apos"})
_BEGINS = re.compile(
    r"(?s)\A(?:<\?xml[^>]*\?>|<!--.*?-->|<!DOCTYPE[^>\[]*>|<\?[^>]*\?>|\s)*<([A-Za-z_][\w:.\-]*)"
)
_PAGES = frozenset({"html", "svg", "svg:svg"})


def _named(tag: str, attributes: list[tuple[str, str]]) -> tuple[str, str]:
    """(what an element is called among its siblings, the attribute that says so)."""
    for wanted in NAMING:
        for name, value in attributes:
            if name.lower() == wanted:
                return f"{tag}[{name}={value}]", name
    return tag, ""


class XmlDocument(TreeDocument):
    """Elements and attributes."""

    wants = "it is no valid XML"

    @staticmethod
    def _grammar() -> object:
        import tree_sitter_xml

        return tree_sitter_xml.language_xml()

    def _top_of(self, root: Node) -> Node:
        self._lists: dict[int, Node] = {}
        """By the first of equal elements: the last."""
        prolog = [one for part in root.named_children if part.type == "prolog" for one in part.named_children]
        if any(one.type == "doctypedecl" and "[" in self._text(one) for one in prolog):
            raise NotReadable("it declares entities of its own")
        return root

    # ------------------------------------------------------------ the tree

    def _holds(self, value: Node) -> bool:
        return value.type in ("element", "document") and value.id not in self._lists

    def _pairs_in(self, node: Node) -> list[Pair]:
        if node.type == "document":
            return [(self._called(one)[0], one, one) for one in node.named_children if one.type == "element"]
        if node.type != "element":
            return []
        naming = self._called(node)[1]
        found: list[Pair] = []
        for attribute in self._attributes(node):
            name, value = attribute.named_children
            if self._text(name) != naming:
                found.append((f"@{self._text(name)}", attribute, value))
        must_stand_once(name for name, _, _ in found)
        inside = self._elements(node)
        says = self._says(node)
        if inside and says.strip():
            raise NotReadable(f"{self._tag(node)} has words beside its elements")
        if not inside and says.strip() and found:
            found.append((_TEXT, node, self._content(node) or node))
        return found + self._listed(node, inside)

    def _listed(self, node: Node, inside: list[Node]) -> list[Pair]:
        """The elements in a node; equal ones that nothing tells apart as one."""
        by_name: dict[str, list[Node]] = {}
        for element in inside:
            by_name.setdefault(self._called(element)[0], []).append(element)
        found: list[Pair] = []
        for name, elements in by_name.items():
            first, last = elements[0], elements[-1]
            if len(elements) > 1:
                if self._called(first)[1]:
                    raise NotReadable(f"{name} stands in it twice")
                between = [one for one in inside if first.start_byte < one.start_byte < last.start_byte]
                if len(between) != len(elements) - 2:
                    raise NotReadable(f"its {name} elements do not stand together")
                self._lists[first.id] = last
            found.append((name, first, first))
        return found

    def _alone(self) -> dict[tuple[Key, str], str]:
        """By where an element stands and its tag: its name, where it has one and no other beside it has its
        tag.
        """
        found: dict[tuple[Key, str], str] = {}
        todo: list[tuple[Key, Node]] = [((), self._top)]
        while todo:
            above, node = todo.pop()
            inside = [(name, value) for name, _, value in self._pairs(node) if self._holds(value)]
            tags = Counter(self._tag(value) for _, value in inside)
            for name, value in inside:
                if tags[self._tag(value)] == 1 and name != self._tag(value):
                    found[above, self._tag(value)] = name
                todo.append(((*above, name), value))
        return found

    def must_agree(self, others: Collection[Document]) -> None:
        """What is the only one of its tag in both, under two names, may be one thing that was renamed."""
        mine = self._alone()
        for other in others:
            theirs = self._like(other)._alone()
            for place in mine.keys() & theirs.keys():
                if mine[place] != theirs[place]:
                    raise NotReadable(
                        f"{mine[place]} may be what is called {theirs[place]} in the other file"
                    )

    def _start(self, element: Node) -> Node:
        """Its start tag, or the whole of one without content."""
        return element.named_children[0]

    def _is_empty_tag(self, element: Node) -> bool:
        return self._start(element).type == "EmptyElemTag"

    def _content(self, element: Node) -> Node | None:
        return next((one for one in element.named_children if one.type == "content"), None)

    def _tag(self, element: Node) -> str:
        return self._text(self._start(element).named_children[0])

    def _attributes(self, element: Node) -> list[Node]:
        return [one for one in self._start(element).named_children if one.type == "Attribute"]

    def _called(self, element: Node) -> tuple[str, str]:
        said = [
            (self._text(one.named_children[0]), self._text(one.named_children[1])[1:-1])
            for one in self._attributes(element)
        ]
        return _named(self._tag(element), said)

    def _elements(self, element: Node) -> list[Node]:
        content = self._content(element)
        return [one for one in content.named_children if one.type == "element"] if content is not None else []

    def _says(self, element: Node) -> str:
        """The words of an element as they are written, comments left out."""
        content = self._content(element)
        if content is None:
            return ""
        said, at = "", content.start_byte
        for one in content.named_children:
            if one.type in ("Comment", "PI", "element"):
                said, at = said + self._between(at, one.start_byte), one.end_byte
            elif one.type == "EntityRef" and self._text(one)[1:-1] not in _KNOWN:
                raise NotReadable(f"{self._text(one)} is an entity from elsewhere")
        return said + self._between(at, content.end_byte)

    def _end(self, pair: Node) -> int:
        """Where a pair ends; a list with its last element."""
        return self._lists.get(pair.id, pair).end_byte

    def _is_plain(self, pair: Node, value: Node) -> bool:
        """Whether it is one element that says a text and nothing else, or the text of one."""
        if value.type != "element":
            return pair.type == "element"
        return value.id not in self._lists and not self._elements(value) and not self._pairs(value)

    def _written(self, pair: Node, value: Node) -> str:
        if pair.type == "Attribute":
            return self._text(value)[1:-1]
        if self._is_plain(pair, value):
            return self._says(pair).strip()
        return self._between(pair.start_byte, self._end(pair))

    # ------------------------------------------------------------ editing

    def take(self, key: Key, like: Document, named: Key) -> None:
        like = self._like(like)
        (pair, value), (other, theirs) = self._must_find(key), like._must_find(named)
        if pair.type == other.type == "Attribute":
            self._splice(value.start_byte, value.end_byte, like._text(theirs))
        elif self._is_plain(pair, value) and like._is_plain(other, theirs):
            self._say(pair, like._inside(other))
        else:
            self._splice(pair.start_byte, self._end(pair), like._between(other.start_byte, like._end(other)))

    def _inside(self, element: Node) -> str:
        content = self._content(element)
        return self._text(content) if content is not None else ""

    def _say(self, element: Node, text: str) -> None:
        start = self._start(element)
        if self._is_empty_tag(element):
            if text:
                opened = self._text(start)[:-2].rstrip() + ">"
                self._splice(element.start_byte, element.end_byte, f"{opened}{text}</{self._tag(element)}>")
        else:
            close = element.named_children[-1]
            self._splice(start.end_byte, close.start_byte, text)

    def rename(self, key: Key, new: Key) -> None:
        pair, _ = self._must_find(key)
        name = new[-1]
        if pair.type == "Attribute" and name.startswith("@"):
            label = pair.named_children[0]
            self._splice(label.start_byte, label.end_byte, name[1:])
            return
        called, naming = self._called(pair)
        tag = self._tag(pair)
        if naming and name.startswith(f"{tag}[{naming}=") and called == key[-1]:
            label = next(one for one in self._attributes(pair) if self._text(one.named_children[0]) == naming)
            value = label.named_children[1]
            self._splice(value.start_byte + 1, value.end_byte - 1, name[len(tag) + len(naming) + 2 : -1])
        elif not naming and re.fullmatch(r"[\w:.\-]+", name) and pair.id not in self._lists:
            if not self._is_empty_tag(pair):
                close = pair.named_children[-1].named_children[0]
                self._data = self._data[: close.start_byte] + name.encode() + self._data[close.end_byte :]
            label = self._start(pair).named_children[0]
            self._splice(label.start_byte, label.end_byte, name)
        else:
            raise NotReadable(f"{key[-1]} cannot be called {name} in its place")

    def remove(self, key: Key) -> None:
        if key[-1] == _TEXT and self._find(key) is None:
            key = key[:-1]  # its attributes went before, so that it says a text and nothing else
        pair, value = self._must_find(key)
        if value.type != "element" and pair.type == "element":
            self._say(pair, "")
        else:
            self._splice(self._line_start(pair.start_byte), self._end(pair), "")

    def insert(self, key: Key, like: Document) -> None:
        like = self._like(like)
        for depth in range(1, len(key)):
            found, theirs = self._find(key[:depth]), like._must_find(key[:depth])
            if found is None:
                self._insert_element(key[:depth], like._bare(theirs[0]), like)
            elif not self._holds(found[1]):
                raise NotReadable(f"{key[depth - 1]} is a list")
        pair, _ = like._must_find(key)
        if pair.type == "Attribute":
            self._insert_attribute(key, pair, like)
        elif key[-1] == _TEXT and like._called(pair)[0] == key[-2]:
            self._say(self._must_find(key[:-1])[0], like._inside(pair))
        else:
            text = like._between(pair.start_byte, like._end(pair))
            self._insert_element(key, text, like, is_text=like._is_plain(pair, pair))

    def _bare(self, element: Node) -> str:
        """An element without anything but what tells it apart."""
        naming = self._called(element)[1]
        kept = [
            self._text(one)
            for one in self._attributes(element)
            if self._text(one.named_children[0]) == naming
        ]
        return f"<{' '.join([self._tag(element), *kept])}/>"

    def _insert_attribute(self, key: Key, pair: Node, like: XmlDocument) -> None:
        parent = self._must_find(key[:-1])[0]
        mine = [one for one in self._pairs(parent) if one[1].type == "Attribute"]
        after = self._neighbour(key, like, mine)
        if after is None:
            there = self._attributes(parent)
            naming = self._called(parent)[1]
            after = next((one for one in there if self._text(one.named_children[0]) == naming), None)
        at = (after or self._start(parent).named_children[0]).end_byte
        self._splice(at, at, f" {like._text(pair)}")

    def _insert_element(self, key: Key, text: str, like: XmlDocument, *, is_text: bool = False) -> None:
        if len(key) == 1:
            raise NotReadable("its outermost element is another one")
        parent = self._must_find(key[:-1])[0]
        mine = [one for one in self._pairs(parent) if one[1].type == "element" and one[0] != _TEXT]
        theirs = like._must_find(key)[0]
        outer = self._indent(parent.start_byte)
        newline = self._newline if b"\n" in self._data else ""
        if mine:
            first = mine[0][1].start_byte
            gap = self._between(self._line_start(first), first)
            if gap.count("\n") > 1:  # a blank line above the first is no gap for all
                gap = newline + gap.rpartition("\n")[2]
        else:
            gap = f"{newline}{outer}{self._step()}" if newline else ""
        text = text if is_text else _shifted(text, like._indent(theirs.start_byte), gap)
        text = like._comments_above(theirs, gap) + text
        after = self._neighbour(key, like, mine)
        if after is not None:
            at = self._end(after)
            self._splice(at, at, f"{gap}{text}")
        elif mine:
            at = self._line_start(mine[0][1].start_byte)
            at = max(at, self._start(parent).end_byte)
            self._splice(at, at, f"{gap}{text}")
        else:
            tail = f"{newline}{outer}" if newline else ""
            self._say(parent, f"{self._inside(parent).rstrip()}{gap}{text}{tail}")

    def _comments_above(self, element: Node, gap: str) -> str:
        """The comments right above an element, each on a line of its own."""
        said, node, below = list[str](), element.prev_named_sibling, element
        while node is not None:
            if node.type == "CharData" and not self._text(node).strip():
                if self._text(node).count("\n") > 1:
                    break
            elif (
                node.type == "Comment"
                and self._between(self._data.rfind(b"\n", 0, node.start_byte) + 1, node.start_byte).strip()
                == ""
            ):
                said.insert(0, _shifted(self._text(node), self._indent(node.start_byte), gap) + (gap or " "))
                below = node
            else:
                break
            node = node.prev_named_sibling
        # What begins the content speaks of all of it, where more follows.
        is_first = below.prev_named_sibling is None or below.prev_named_sibling.prev_named_sibling is None
        return "" if is_first and len(said) and element.prev_named_sibling is None else "".join(said)

    def _step(self) -> str:
        """How much further an element is indented than what it stands in."""
        todo = deque([one for one in self._top.named_children if one.type == "element"])
        while todo:
            node = todo.popleft()
            inside = self._elements(node)
            if inside and inside[0].start_point.row > node.start_point.row:
                inner, outer = self._indent(inside[0].start_byte), self._indent(node.start_byte)
                if inner.startswith(outer) and inner != outer:
                    return inner[len(outer) :]
            todo += inside
        return "  "


def _shifted(text: str, was: str, gap: str) -> str:
    """A text of several lines, indented as what it is put beside."""
    inner = gap.rpartition("\n")[2]
    first, *rest = text.split("\n")
    return "\n".join([first, *(inner + line.removeprefix(was) if line.strip() else line for line in rest)])


# ---------------------------------------------------------------- the reader that is not ours


def _read(data: bytes, whole: Collection[Key]) -> dict[Key, Any]:
    from lxml import etree

    if b"<!ENTITY" in data:
        raise NotReadable("it declares entities of its own")
    parser = etree.XMLParser(
        resolve_entities=False,
        no_network=True,
        load_dtd=False,
        huge_tree=False,
        remove_comments=True,
        remove_pis=True,
    )
    try:
        root = etree.fromstring(data, parser)
    except (etree.XMLSyntaxError, ValueError) as error:
        raise NotReadable("it is no valid XML") from error
    found: dict[Key, Any] = {}
    key = (_called_in(root),)
    _walk(root, key, found, whole)
    return found


def _qualified(name: str, element: etree._Element) -> str:
    """A name as it is written, with the prefix of its namespace."""
    if not name.startswith("{"):
        return name
    space, _, local = name[1:].partition("}")
    if space == "http://www.w3.org/XML/1998/namespace":
        return f"xml:{local}"
    prefix = next((p for p, s in element.nsmap.items() if s == space and p), None)
    return f"{prefix}:{local}" if prefix else local


def _tag_in(element: etree._Element) -> str:
    local = str(element.tag).rpartition("}")[2]
    return f"{element.prefix}:{local}" if element.prefix else local


def _attributes_in(element: etree._Element) -> list[tuple[str, str]]:
    above = element.getparent()
    spaces = above.nsmap if above is not None else {}
    said = [
        (f"xmlns:{prefix}" if prefix else "xmlns", space)
        for prefix, space in element.nsmap.items()
        if spaces.get(prefix) != space
    ]
    return said + [(_qualified(str(name), element), str(value)) for name, value in element.attrib.items()]


def _called_in(element: etree._Element) -> str:
    from xml.sax.saxutils import escape

    tag, said = _tag_in(element), _attributes_in(element)
    called, naming = _named(tag, said)
    value = next((value for name, value in said if name == naming), "")
    return f"{tag}[{naming}={escape(value)}]" if naming else called


def _meaning(element: etree._Element) -> Any:
    """All of an element, so that two are equal only where a program reads the same."""
    words = (element.text or "").strip()
    inside = [_meaning(one) for one in element]
    return _tag_in(element), sorted(_attributes_in(element)), words, inside


def _walk(element: etree._Element, key: Key, found: dict[Key, Any], whole: Collection[Key]) -> None:
    from lxml import etree

    if any(isinstance(one, etree._Entity) for one in element):
        raise NotReadable("it has an entity from elsewhere")
    naming = _named(_tag_in(element), _attributes_in(element))[1]
    attributes = [(name, value) for name, value in _attributes_in(element) if name != naming]
    words = "".join([element.text or "", *(one.tail or "" for one in element)]).strip()
    children = list(element)
    if children and words:
        raise NotReadable(f"{_tag_in(element)} has words beside its elements")
    if key in whole:
        found[key] = _meaning(element)
        return
    if not attributes and not children:
        found[key] = words or {}
        return
    for name, value in attributes:
        found[(*key, f"@{name}")] = value
    if words:
        found[(*key, _TEXT)] = words
    by_name: dict[str, list[etree._Element]] = {}
    for one in children:
        by_name.setdefault(_called_in(one), []).append(one)
    for name, elements in by_name.items():
        if len(elements) > 1:
            found[(*key, name)] = [_meaning(one) for one in elements]
        else:
            _walk(elements[0], (*key, name), found, whole)


class Xml:
    name = "text xml"
    family = "xml"
    tells_settings = False
    is_strict = True
    endings = frozenset({"xml"})

    def recognise(self, text: str) -> float:
        lead = _BEGINS.match(text)
        return 1.0 if lead is not None and lead.group(1).lower() not in _PAGES else 0.0

    def open(self, data: bytes) -> XmlDocument:
        return XmlDocument(data)

    def read(self, data: bytes, whole: Collection[Key] = ()) -> dict[Key, Any]:
        return _read(data, whole)
