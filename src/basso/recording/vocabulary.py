"""Column names in other languages, put into the English words that roles are recognised by.

German, French, Italian, Spanish, and the few words of Portuguese and Dutch that loggers use. Words come without
accents, in lower case ("Öldruck" → "oldruck"). German writes its words in one: a word is taken apart where every part
is known.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache
from types import MappingProxyType

_WORDS: MappingProxyType[str, str] = MappingProxyType(
    {
        # oil
        "oel": "oil", "ol": "oil", "huile": "oil", "olio": "oil", "aceite": "oil", "oleo": "oil", "olie": "oil", "motorol": "engine oil",
        "motoroel": "engine oil",
        # pressure and temperature
        "druck": "pressure", "drk": "pressure", "druk": "pressure", "pression": "pressure", "pressione": "pressure", "presion": "pressure",
        "pressao": "pressure", "temperatur": "temperature", "temperatura": "temperature", "temperatuur": "temperature",
        # the engine and how fast it turns
        "drehzahl": "rpm", "drehz": "rpm", "toerental": "rpm", "giri": "rpm", "regime": "rpm", "regimen": "rpm", "revoluciones": "rpm",
        "rotacao": "rpm", "rotazione": "rpm", "tours": "rpm", "umdrehungen": "rpm", "moteur": "engine", "motore": "engine", "nmot": "n mot",
        "nmoteur": "n engine", "nmotor": "n engine", "nmotore": "n engine",
        # ways
        "quer": "lateral", "laterale": "lateral", "seitlich": "lateral", "seiten": "lateral", "transversal": "lateral", "transversale": "lateral",
        "trasversale": "lateral", "lateralmente": "lateral", "dwars": "lateral", "laengs": "longitudinal", "langs": "longitudinal",
        "longitudinale": "longitudinal", "hoch": "vertical", "vertikal": "vertical", "verticale": "vertical", "vertikale": "vertical",
        "beschleunigung": "acc", "beschl": "acc", "beschleunig": "acc", "accelerazione": "acc", "accelerazioni": "acc", "aceleracion": "acc",
        "aceleracao": "acc", "versnelling": "acc", "acel": "acc", "kraft": "force", "forza": "force", "fuerza": "force",
        "aquer": "a lateral", "alaengs": "a longitudinal", "alangs": "a longitudinal", "ahoch": "a vertical", "gquer": "g lateral",
        "glaengs": "g longitudinal", "glangs": "g longitudinal", "aylat": "acc lateral", "axlong": "acc longitudinal",
        # speed, way and time
        "geschwindigkeit": "speed", "geschw": "speed", "vitesse": "speed", "velocita": "speed", "velocidad": "speed", "velocidade": "speed",
        "snelheid": "speed", "fahrzeug": "vehicle", "fahr": "vehicle", "fzg": "vehicle", "vehicule": "vehicle", "veicolo": "vehicle",
        "vehiculo": "vehicle", "rad": "wheel", "roue": "wheel", "ruota": "wheel", "rueda": "wheel", "strecke": "distance", "weg": "distance",
        "wegstrecke": "distance", "distanz": "distance", "distanza": "distance", "distancia": "distance", "afstand": "distance", "zeit": "time",
        "uhrzeit": "time", "zeitstempel": "time", "tempo": "time", "tiempo": "time", "tijd": "time", "heure": "time", "ora": "time",
        "runde": "lap", "runden": "lap", "tour": "lap", "giro": "lap", "vuelta": "lap", "ronde": "lap", "nummer": "number",
        "numero": "number", "breite": "latitude", "breitengrad": "latitude", "lange": "longitude", "laenge": "longitude",
        "langengrad": "longitude", "laengengrad": "longitude", "latitudine": "latitude", "longitudine": "longitude", "latitud": "latitude",
        "longitud": "longitude",
        # other fluids, and what the driver does
        "wasser": "water", "eau": "water", "acqua": "water", "agua": "water", "kuhl": "coolant", "kuehl": "coolant", "kuhlwasser": "coolant",
        "kuehlwasser": "coolant", "kuhlmittel": "coolant", "kuehlmittel": "coolant", "mittel": "", "refroidissement": "coolant",
        "refrigerante": "coolant", "refrigerant": "coolant", "luft": "air", "aria": "air", "aire": "air", "umgebung": "ambient",
        "umgebungs": "ambient", "aussen": "ambient", "ambiante": "ambient", "ambiente": "ambient", "ansaug": "intake", "admission": "intake",
        "aspirazione": "intake", "admision": "intake", "lade": "boost", "turbolader": "turbo", "kraftstoff": "fuel", "benzin": "fuel",
        "tank": "fuel", "essence": "fuel", "carburant": "fuel", "carburante": "fuel", "benzina": "fuel", "combustible": "fuel",
        "gasolina": "fuel", "stand": "level", "inhalt": "level", "niveau": "level", "livello": "level", "nivel": "level",
        "drossel": "throttle", "drosselklappe": "throttle", "drosselklappen": "throttle", "klappe": "", "klappen": "", "papillon": "throttle",
        "farfalla": "throttle", "mariposa": "throttle", "acelerador": "accelerator", "accelerateur": "accelerator", "acceleratore": "accelerator",
        "gaspedal": "throttle pedal", "fahrpedal": "throttle pedal", "pedale": "pedal", "winkel": "position", "stellung": "position",
        "brems": "brake", "bremse": "brake", "bremsen": "brake", "bremspedal": "brake pedal", "frein": "brake", "freins": "brake",
        "freno": "brake", "freni": "brake", "frenos": "brake", "getriebe": "gearbox", "getriebeol": "gearbox oil", "getriebeoel": "gearbox oil",
        "boite": "gearbox", "cambio": "gearbox", "caja": "gearbox", "diff": "diff", "reifen": "tyre", "pneu": "tyre", "gomma": "tyre",
        "neumatico": "tyre", "motor": "engine", "mot": "engine", "pumpe": "pump", "pompe": "pump", "pompa": "pump", "bomba": "pump",
        "kuhler": "cooler", "kuehler": "cooler", "radiateur": "cooler", "radiatore": "cooler", "radiador": "cooler", "filtre": "filter",
        "filtro": "filter", "gier": "yaw", "gierrate": "yaw rate", "lacet": "yaw", "imbardata": "yaw", "guinada": "yaw", "lenk": "steering",
        "lenkwinkel": "steering angle", "lenkrad": "steering", "volant": "steering", "sterzo": "steering", "volante": "steering",
        "spannung": "voltage", "leistung": "power", "moment": "torque", "drehmoment": "torque",
    }
)  # fmt: skip
_ALONE: MappingProxyType[str, str] = MappingProxyType(
    {"temps": "time", "temps ecoule": "time", "temps s": "time", "temps au tour": "lap time", "temps tour": "lap time"}
)
"""Whole headings whose words are English ones as well ("temps" are temperatures beside "oil")."""
_JOINTS = frozenset(
    {"d", "de", "du", "des", "l", "la", "le", "del", "dell", "della", "di", "do", "da", "der", "au", "van"}
)
_SAME_IN_ENGLISH = frozenset({"diff", "tank", "motor", "mot", "stand", "moment", "tours", "tour", "regime", "admission", "lange", "weg", "rad", "ora", "volante", "ambiente"})  # fmt: skip
_SHORTEST_PART = 2


def in_english(words: Sequence[str]) -> tuple[str, ...]:
    """The words of a heading with those of other languages replaced; words that are English stay.

    ``("temperature", "d", "huile")`` → (temperature, oil); ``("querbeschleunigung",)`` → (lateral, acc).
    """
    joined = " ".join(words)
    if joined in _ALONE:
        return tuple(_ALONE[joined].split())
    found: list[str] = []
    foreign = False
    for word in words:
        known = _translated(word)
        foreign |= known is not None and word not in _SAME_IN_ENGLISH
        found += [word] if known is None else known.split()
    if not foreign:
        return tuple(words) if len(words) > 1 or not found else tuple(found)
    return tuple(w for w in found if w not in _JOINTS)


@cache
def _translated(word: str) -> str | None:
    """A word in English, taken apart where it is made of known ones; None where it is not known."""
    if word in _WORDS:
        return _WORDS[word]
    for cut in range(len(word) - _SHORTEST_PART, _SHORTEST_PART - 1, -1):
        first, rest = word[:cut], word[cut:]
        rest = (
            rest.removeprefix("s")
            if first + "s" not in _WORDS and rest.startswith("s") and rest not in _WORDS
            else rest
        )
        if first in _WORDS and (more := _rest(rest)) is not None:
            return f"{_WORDS[first]} {more}".strip()
    return None


_TAILS: MappingProxyType[str, str] = MappingProxyType({"temp": "temp", "t": "temp", "p": "pressure", "druck": "pressure", "nr": "number"})  # fmt: skip


def _rest(word: str) -> str | None:
    return _TAILS[word] if word in _TAILS else _translated(word)
