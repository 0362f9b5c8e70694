<?xml version="1.0" encoding="utf-8"?>
<!DOCTYPE TS>
<TS version="2.1" language="en_US">
<context>
    <name>ivrin::app::GridActions</name>
    <message numerus="yes">
        <source>: %n ornament(s) stayed on the sound</source>
        <translation>
            <numerusform>: %n ornament stayed on the sound</numerusform>
            <numerusform>: %n ornaments stayed on the sound</numerusform>
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
        <source>tone, %n band(s)</source>
        <translation>
            <numerusform>tone, %n band</numerusform>
            <numerusform>tone, %n bands</numerusform>
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
        <source>move of %n ornament(s)</source>
        <translation>
            <numerusform>move of %n ornament</numerusform>
            <numerusform>move of %n ornaments</numerusform>
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
        <source>It narrows over %n bar(s), and opens on the landing.</source>
        <translation>
            <numerusform>It narrows over %n bar, and opens on the landing.</numerusform>
            <numerusform>It narrows over %n bars, and opens on the landing.</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ivrin::app::RowActions</name>
    <message numerus="yes">
        <source>%1 is removed, with %n ornament(s)</source>
        <translation>
            <numerusform>%1 is removed, with its ornament</numerusform>
            <numerusform>%1 is removed, with %n ornaments</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>ivrin::app::SectionActions</name>
    <message numerus="yes">
        <source>%n section(s) taken; F2 names the one that bars are counted to.</source>
        <translation>
            <numerusform>%n section taken; F2 names the one that bars are counted to.</numerusform>
            <numerusform>%n sections taken; F2 names the one that bars are counted to.</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n section(s) proposed, dotted: a click takes one, %1 all of them.</source>
        <translation>
            <numerusform>%n section proposed, dotted: a click takes it, or %1.</numerusform>
            <numerusform>%n sections proposed, dotted: a click takes one, %1 all of them.</numerusform>
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
        <source>%n ornament(s) marked</source>
        <translation>
            <numerusform>%n ornament marked</numerusform>
            <numerusform>%n ornaments marked</numerusform>
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
        <source>it meets %n phrase(s)</source>
        <translation>
            <numerusform>it meets the next phrase</numerusform>
            <numerusform>it meets %n phrases</numerusform>
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
        <source>The song starts %n bar(s) before its stems now, so that all of it is heard.</source>
        <translation>
            <numerusform>The song starts %n bar before its stems now, so that all of it is heard.</numerusform>
            <numerusform>The song starts %n bars before its stems now, so that all of it is heard.</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>files of %n row(s)</source>
        <translation>
            <numerusform>files of %n row</numerusform>
            <numerusform>files of %n rows</numerusform>
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
</TS>
