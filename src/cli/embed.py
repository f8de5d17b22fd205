"""Writes text files as C strings: embed.py OUT name=path..."""
import sys

with open(sys.argv[1], "w", encoding="utf-8") as out:
    for pair in sys.argv[2:]:
        name, path = pair.split("=", 1)
        out.write(f"extern const char {name}[];\nconst char {name}[] =\n")
        for line in open(path, encoding="utf-8"):
            text = line.rstrip("\n").replace("\\", "\\\\").replace('"', '\\"')
            out.write(f'\t"{text}\\n"\n')
        out.write("\t;\n")
