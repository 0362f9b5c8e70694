<?xml version="1.0" encoding="utf-8"?>
<!DOCTYPE TS>
<TS version="2.1" language="en_US">
<context>
    <name>ivrin::app::GridActions</name>
    <message numerus="yes">
        <source>: %n ornament(s) stayed with the audio</source>
        <translation>
            <numerusform>: %n ornament stayed with the audio</numerusform>
            <numerusform>: %n ornaments stayed with the audio</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>: %n ornament(s) kept their beats</source>
        <translation>
            <numerusform>: %n ornament kept its beats</numerusform>
            <numerusform>: %n ornaments kept their beats</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>; and %n more</source>
        <translation>
            <numerusform>; and %n more</numerusform>
            <numerusform>; and %n more</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ivrin::app::OpeningActions</name>
    <message numerus="yes">
        <source>%n opening(s)</source>
        <translation>
            <numerusform>%n opening</numerusform>
            <numerusform>%n openings</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>QObject</name>
    <message numerus="yes">
        <source>%n ornament(s)</source>
        <translation>
            <numerusform>%n ornament</numerusform>
            <numerusform>%n ornaments</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>EQ, %n band(s)</source>
        <translation>
            <numerusform>EQ, %n band</numerusform>
            <numerusform>EQ, %n bands</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>harmony, %n voice(s)</source>
        <translation>
            <numerusform>harmony, %n voice</numerusform>
            <numerusform>harmony, %n voices</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n bar(s)</source>
        <translation>
            <numerusform>%n bar</numerusform>
            <numerusform>%n bars</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>move %n ornament(s)</source>
        <translation>
            <numerusform>move %n ornament</numerusform>
            <numerusform>move %n ornaments</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n ornament(s) on this row</source>
        <translation>
            <numerusform>%n ornament on this row</numerusform>
            <numerusform>%n ornaments on this row</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ivrin::app::RecipeActions</name>
    <message numerus="yes">
        <source>%n ornament(s)</source>
        <translation>
            <numerusform>%n ornament</numerusform>
            <numerusform>%n ornaments</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ivrin::app::RoomActions</name>
    <message numerus="yes">
        <source>Narrows over %n bar(s) and opens on the landing.</source>
        <translation>
            <numerusform>Narrows over %n bar and opens on the landing.</numerusform>
            <numerusform>Narrows over %n bars and opens on the landing.</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ivrin::app::RowActions</name>
    <message numerus="yes">
        <source>Removed %1 with %n ornament(s)</source>
        <translation>
            <numerusform>Removed %1 with %n ornament</numerusform>
            <numerusform>Removed %1 with %n ornaments</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ivrin::app::SectionActions</name>
    <message numerus="yes">
        <source>%n section(s) accepted. F2 renames the current one.</source>
        <translation>
            <numerusform>%n section accepted. F2 renames the current one.</numerusform>
            <numerusform>%n sections accepted. F2 renames the current one.</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n section(s) detected, shown dotted. Click one to accept it; %1 accepts all.</source>
        <translation>
            <numerusform>%n section detected, shown dotted. Click it to accept it, or press %1.</numerusform>
            <numerusform>%n sections detected, shown dotted. Click one to accept it; %1 accepts all.</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ivrin::app::StemActions</name>
    <message numerus="yes">
        <source>%n row(s) added</source>
        <translation>
            <numerusform>%n row added</numerusform>
            <numerusform>%n rows added</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ivrin::app::LeftDialog</name>
    <message numerus="yes">
        <source>%n ornament(s)</source>
        <translation>
            <numerusform>%n ornament</numerusform>
            <numerusform>%n ornaments</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n edit(s)</source>
        <translation>
            <numerusform>%n edit</numerusform>
            <numerusform>%n edits</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ivrin::app::TempoDialog</name>
    <message numerus="yes">
        <source>Tapped %n time(s)</source>
        <translation>
            <numerusform>Tapped %n time</numerusform>
            <numerusform>Tapped %n times</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ivrin::app::MeasureLine</name>
    <message numerus="yes">
        <source>%n ornament(s) selected</source>
        <translation>
            <numerusform>%n ornament selected</numerusform>
            <numerusform>%n ornaments selected</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n ornament(s)</source>
        <translation>
            <numerusform>%n ornament</numerusform>
            <numerusform>%n ornaments</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>Overlaps %n phrase(s)</source>
        <translation>
            <numerusform>Overlaps the next phrase</numerusform>
            <numerusform>Overlaps %n phrases</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ivrin::app::Session</name>
    <message numerus="yes">
        <source>%n file(s) written to %1</source>
        <translation>
            <numerusform>%n file written to %1</numerusform>
            <numerusform>%n files written to %1</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%1 on %n row(s)</source>
        <translation>
            <numerusform>%1 on %n row</numerusform>
            <numerusform>%1 on %n rows</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>Added %n bar(s) before the stems, so that the whole lead-in is heard.</source>
        <translation>
            <numerusform>Added %n bar before the stems, so that the whole lead-in is heard.</numerusform>
            <numerusform>Added %n bars before the stems, so that the whole lead-in is heard.</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>find %n file(s)</source>
        <translation>
            <numerusform>find %n file</numerusform>
            <numerusform>find %n files</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ivrin::app::RecipeTrial</name>
    <message numerus="yes">
        <source>%n ornament(s)</source>
        <translation>
            <numerusform>%n ornament</numerusform>
            <numerusform>%n ornaments</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n row(s)</source>
        <translation>
            <numerusform>%n row</numerusform>
            <numerusform>%n rows</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ivrin::app::ExportDialog</name>
    <message numerus="yes">
        <source>They start %n bar(s) before your stems: place them that much earlier.</source>
        <translation>
            <numerusform>They start %n bar before your stems: place them that much earlier.</numerusform>
            <numerusform>They start %n bars before your stems: place them that much earlier.</numerusform>
        </translation>
    </message>
</context>
</TS>
